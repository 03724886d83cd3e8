//! Types around one other type, and scalars of their own.

use proc_macro2::TokenStream;
use quote::{quote, quote_spanned};
use syn::spanned::Spanned;
use syn::{DeriveInput, Error, Field, Type};

use crate::attributes::{FieldAttributes, is_scalar};

/// A type around one other: it is what that is, with the constraints that are said of it.
pub(crate) fn expand(input: &DeriveInput, field: &Field) -> syn::Result<TokenStream> {
    if is_scalar(&input.attrs)? {
        return Ok(expand_scalar(input));
    }
    let (wrapper, ty) = (&input.ident, &field.ty);
    let FieldAttributes { changes, checks, is_local } = FieldAttributes::read(field)?;
    if is_local {
        return Err(Error::new_spanned(field, "only a field of a record can be local"));
    }
    let span = ty.span();
    let part = quote_spanned!(span=> <#ty as ::ricordo::Model>::part(schema)?);
    let markers = markers(ty).into_iter().map(|marker| {
        let marker = syn::Ident::new(marker, span);
        quote!(#[automatically_derived] impl ::ricordo::model::derived::#marker for #wrapper {})
    });
    let number = is_number(ty)
        .then(|| quote!(#[automatically_derived] impl ::ricordo::model::HoldsNumber for #wrapper {}));
    Ok(quote! {
        #[allow(clippy::all, clippy::pedantic)]
        const _: () = {
            #(#markers)*
            #number

            #[automatically_derived]
            impl ::ricordo::model::Data for #wrapper {
                type Inner = Self;

                fn into_inner(self) -> ::core::option::Option<Self> {
                    ::core::option::Option::Some(self)
                }

                fn to_value(&self) -> ::ricordo::Value {
                    <#ty as ::ricordo::model::Data>::to_value(&self.0)
                }

                fn from_value(
                    value: &::ricordo::Value,
                ) -> ::core::result::Result<Self, ::ricordo::Error> {
                    <#ty as ::ricordo::model::Data>::from_value(value).map(#wrapper)
                }
            }

            #[automatically_derived]
            impl ::ricordo::Model for #wrapper {
                type At<M: 'static, P: ::ricordo::model::Data> = <#ty as ::ricordo::Model>::At<M, P>;

                fn part(
                    schema: &mut ::ricordo::schema::SchemaBuilder,
                ) -> ::core::result::Result<::ricordo::schema::Part, ::ricordo::Error> {
                    #checks
                    #[allow(unused_mut)]
                    let mut part = #part;
                    #changes
                    ::core::result::Result::Ok(part)
                }

                fn at<M: 'static, P: ::ricordo::model::Data>(
                    route: ::ricordo::schema::Route,
                ) -> Self::At<M, P> {
                    <#ty as ::ricordo::Model>::at(route)
                }
            }
        };
    })
}

/// A scalar of the program's own: a text that the type parses and writes.
pub(crate) fn expand_scalar(input: &DeriveInput) -> TokenStream {
    let scalar = &input.ident;
    quote! {
        #[allow(clippy::all, clippy::pedantic)]
        const _: () = {
            #[automatically_derived]
            impl ::ricordo::model::Data for #scalar {
                type Inner = Self;

                fn into_inner(self) -> ::core::option::Option<Self> {
                    ::core::option::Option::Some(self)
                }

                fn to_value(&self) -> ::ricordo::Value {
                    ::core::convert::From::from(<#scalar as ::ricordo::model::Scalar>::write(self))
                }

                fn from_value(
                    value: &::ricordo::Value,
                ) -> ::core::result::Result<Self, ::ricordo::Error> {
                    ::ricordo::model::derived::scalar_of(value)
                }
            }

            #[automatically_derived]
            impl ::ricordo::Model for #scalar {
                type At<M: 'static, P: ::ricordo::model::Data> = ::ricordo::model::Path<M, P>;

                fn part(
                    _: &mut ::ricordo::schema::SchemaBuilder,
                ) -> ::core::result::Result<::ricordo::schema::Part, ::ricordo::Error> {
                    ::core::result::Result::Ok(::ricordo::model::derived::part_of_scalar::<Self>())
                }

                fn at<M: 'static, P: ::ricordo::model::Data>(
                    route: ::ricordo::schema::Route,
                ) -> ::ricordo::model::Path<M, P> {
                    ::ricordo::model::Path::at_route(route)
                }
            }
        };
    }
}

/// The last name of a type: `Decimal` of `rust_decimal::Decimal`.
fn name_of(ty: &Type) -> Option<String> {
    let Type::Path(path) = ty else { return None };
    path.path.segments.last().map(|segment| segment.ident.to_string())
}

fn is_number(ty: &Type) -> bool {
    const NUMBERS: [&str; 13] =
        ["i8", "i16", "i32", "i64", "isize", "u8", "u16", "u32", "u64", "usize", "f32", "f64", "Decimal"];
    name_of(ty).is_some_and(|name| NUMBERS.contains(&name.as_str()))
}

/// Which attributes suit the type, since they suit what it holds.
fn markers(ty: &Type) -> Vec<&'static str> {
    match name_of(ty).as_deref() {
        Some("String") => vec!["TextField"],
        Some("Vec") => vec!["ListField"],
        Some("Date" | "Time" | "DateTime") => vec!["TimeField"],
        _ if is_number(ty) => vec!["NumberField"],
        _ => Vec::new(),
    }
}
