//! The implementations of `Data` and `Model`, of which only the bodies differ from type to type.

use proc_macro2::TokenStream;
use quote::quote;
use syn::Ident;

/// The parts of an implementation that differ from type to type.
pub(crate) struct Frame<'a> {
    pub(crate) ty: &'a Ident,
    /// The value of `self`.
    pub(crate) to_value: TokenStream,
    /// The type from a `value`, as a `Result`.
    pub(crate) from_value: TokenStream,
    /// The type of a path that leads from an `M` to such a place, which holds a `P`.
    pub(crate) path: TokenStream,
    /// The path along a `route`.
    pub(crate) at: TokenStream,
    /// The part, built with `schema`, as a `Result`.
    pub(crate) part: TokenStream,
    /// Further implementations beside the two.
    pub(crate) beside: TokenStream,
}

impl<'a> Frame<'a> {
    /// The frame of a type whose places have no others in them, so that plain paths lead to them.
    pub(crate) fn of_scalar(
        ty: &'a Ident,
        to_value: TokenStream,
        from_value: TokenStream,
        part: TokenStream,
    ) -> Self {
        let path = quote!(::ricordo::model::Path<M, P>);
        let at = quote!(::ricordo::model::Path::at_route(route));
        Frame { ty, to_value, from_value, path, at, part, beside: TokenStream::new() }
    }

    pub(crate) fn expand(self) -> TokenStream {
        let Frame { ty, to_value, from_value, path, at, part, beside } = self;
        quote! {
            #[allow(unreachable_pub, clippy::all, clippy::pedantic)]
            const _: () = {
                #beside

                #[automatically_derived]
                impl ::ricordo::model::Data for #ty {
                    type Inner = Self;

                    fn into_inner(self) -> ::core::option::Option<Self> {
                        ::core::option::Option::Some(self)
                    }

                    fn to_value(&self) -> ::ricordo::Value {
                        #to_value
                    }

                    fn from_value(
                        value: &::ricordo::Value,
                    ) -> ::core::result::Result<Self, ::ricordo::Error> {
                        #from_value
                    }
                }

                #[automatically_derived]
                impl ::ricordo::Model for #ty {
                    type At<M: 'static, P: ::ricordo::model::Data> = #path;

                    #[allow(unused_variables)]
                    fn part(
                        schema: &mut ::ricordo::schema::SchemaBuilder,
                    ) -> ::core::result::Result<::ricordo::schema::Part, ::ricordo::Error> {
                        #part
                    }

                    fn at<M: 'static, P: ::ricordo::model::Data>(
                        route: ::ricordo::schema::Route,
                    ) -> Self::At<M, P> {
                        #at
                    }
                }
            };
        }
    }
}
