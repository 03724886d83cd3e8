//! Enums without fields as choices.

use std::collections::HashMap;

use proc_macro2::TokenStream;
use quote::quote;
use syn::{DataEnum, DeriveInput, Error, Fields};

use crate::attributes::{refuse, variant_label};
use crate::names::SerdeNames;

pub(crate) fn expand(input: &DeriveInput, data: &DataEnum) -> syn::Result<TokenStream> {
    refuse(&input.attrs)?;
    let names = SerdeNames::read(&input.attrs)?;
    let choice = &input.ident;
    if data.variants.is_empty() {
        return Err(Error::new_spanned(choice, "a choice needs at least one variant to choose"));
    }

    let mut taken = HashMap::new();
    let (mut choices, mut writes, mut reads) = (vec![], vec![], vec![]);
    for variant in &data.variants {
        let ident = &variant.ident;
        if !matches!(variant.fields, Fields::Unit) {
            return Err(Error::new_spanned(
                variant,
                "a choice is one of several names: its variants have no fields of their own",
            ));
        }
        let name = names.variant(ident, &SerdeNames::read(&variant.attrs)?);
        if let Some(other) = taken.insert(name.clone(), ident) {
            return Err(Error::new_spanned(
                ident,
                format!("`{ident}` and `{other}` are both named “{name}”"),
            ));
        }
        let label = variant_label(variant)?.map(|label| quote!(.label(#label)));
        choices.push(quote!(::ricordo::model::derived::Choice::new(#name) #label));
        writes.push(quote!(#choice::#ident => ::core::convert::From::from(#name)));
        reads.push(quote! {
            ::core::option::Option::Some(#name) => ::core::result::Result::Ok(#choice::#ident)
        });
    }

    Ok(quote! {
        #[allow(clippy::all, clippy::pedantic)]
        const _: () = {
            #[automatically_derived]
            impl ::ricordo::model::Data for #choice {
                type Inner = Self;

                fn into_inner(self) -> ::core::option::Option<Self> {
                    ::core::option::Option::Some(self)
                }

                fn to_value(&self) -> ::ricordo::Value {
                    match self { #(#writes),* }
                }

                fn from_value(
                    value: &::ricordo::Value,
                ) -> ::core::result::Result<Self, ::ricordo::Error> {
                    match value.as_text() {
                        #(#reads,)*
                        _ => ::ricordo::model::derived::no_variant(value),
                    }
                }
            }

            #[automatically_derived]
            impl ::ricordo::Model for #choice {
                type At<M: 'static, P: ::ricordo::model::Data> = ::ricordo::model::Path<M, P>;

                fn part(
                    _: &mut ::ricordo::schema::SchemaBuilder,
                ) -> ::core::result::Result<::ricordo::schema::Part, ::ricordo::Error> {
                    let choices = ::ricordo::model::derived::Choices::new([#(#choices),*]);
                    let kind = ::ricordo::schema::Kind::Choice(choices);
                    ::core::result::Result::Ok(::ricordo::schema::Part::new(kind).required())
                }

                fn at<M: 'static, P: ::ricordo::model::Data>(
                    route: ::ricordo::schema::Route,
                ) -> ::ricordo::model::Path<M, P> {
                    ::ricordo::model::Path::at_route(route)
                }
            }
        };
    })
}
