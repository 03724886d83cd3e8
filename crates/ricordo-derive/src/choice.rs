//! Enums without fields as choices.

use std::collections::HashMap;

use proc_macro2::TokenStream;
use quote::quote;
use syn::{DataEnum, DeriveInput, Error};

use crate::attributes::{refuse, variant_label};
use crate::frame::Frame;
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
        let name = names.variant(ident, &SerdeNames::read(&variant.attrs)?);
        if let Some(other) = taken.insert(name.clone(), ident) {
            return Err(Error::new_spanned(
                ident,
                format!("`{ident}` and `{other}` are both named “{name}”"),
            ));
        }
        let label = match variant_label(variant)? {
            Some(label) => quote!(::core::option::Option::Some(#label)),
            None => quote!(::core::option::Option::None),
        };
        choices.push(quote!((#name, #label)));
        writes.push(quote!(#choice::#ident => ::core::convert::From::from(#name)));
        reads.push(quote! {
            ::core::option::Option::Some(#name) => ::core::result::Result::Ok(#choice::#ident)
        });
    }

    let to_value = quote!(match self { #(#writes),* });
    let from_value = quote! {
        match value.as_text() {
            #(#reads,)*
            _ => ::ricordo::model::derived::no_variant(value),
        }
    };
    let part = quote! {
        ::core::result::Result::Ok(::ricordo::model::derived::choice(&[#(#choices),*]))
    };
    Ok(Frame::of_scalar(choice, to_value, from_value, part).expand())
}
