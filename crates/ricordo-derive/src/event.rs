//! Enums as events that components emit.

use proc_macro2::TokenStream;
use quote::{format_ident, quote};
use syn::{Data, DeriveInput, Error, Fields};

use crate::names::SerdeNames;

pub(crate) fn expand(input: &DeriveInput) -> syn::Result<TokenStream> {
    let Data::Enum(data) = &input.data else {
        return Err(Error::new_spanned(
            &input.ident,
            "events are an enum, such as `enum RowEvent { Saved(Ingredient), Deleted }`",
        ));
    };
    let names = SerdeNames::read(&input.attrs)?;
    let event = &input.ident;
    let (mut named, mut carried, mut recorded) = (vec![], vec![], vec![]);
    for variant in &data.variants {
        let ident = &variant.ident;
        let name = names.event(ident, &SerdeNames::read(&variant.attrs)?);
        named.push(quote!(#event::#ident { .. } => #name));
        let (carries, records) = match &variant.fields {
            Fields::Unit => {
                let nothing = quote!(#event::#ident => ::core::default::Default::default());
                (nothing.clone(), nothing)
            }
            Fields::Unnamed(fields) if fields.unnamed.len() == 1 => (
                quote!(#event::#ident(carried) => ::ricordo::model::Data::to_value(carried)),
                quote!(#event::#ident(carried) => ::ricordo::model::derived::Carried::masked(carried)),
            ),
            Fields::Unnamed(fields) => {
                return Err(Error::new_spanned(
                    fields,
                    "an event carries one thing, or several with a name each: `Renamed { from: String, to: String }`",
                ));
            }
            Fields::Named(fields) => {
                let idents: Vec<_> = fields.named.iter().filter_map(|field| field.ident.as_ref()).collect();
                let bound: Vec<_> = idents.iter().map(|ident| format_ident!("carried_{ident}")).collect();
                let members: Vec<String> = fields
                    .named
                    .iter()
                    .filter_map(|field| Some((field.ident.as_ref()?, field)))
                    .map(|(ident, field)| {
                        SerdeNames::read(&field.attrs).map(|own| SerdeNames::default().field(ident, &own))
                    })
                    .collect::<syn::Result<_>>()?;
                let of_members = |value: TokenStream| {
                    quote! {
                        #event::#ident { #(#idents: #bound),* } => ::ricordo::model::derived::record(
                            [#((#members, #value(#bound))),*]
                        )
                    }
                };
                (
                    of_members(quote!(::ricordo::model::Data::to_value)),
                    of_members(quote!(::ricordo::model::derived::Carried::masked)),
                )
            }
        };
        carried.push(carries);
        recorded.push(records);
    }
    if data.variants.is_empty() {
        return Err(Error::new_spanned(event, "there must be at least one event to emit"));
    }
    Ok(quote! {
        #[automatically_derived]
        impl ::ricordo::Event for #event {
            fn name(&self) -> &'static str {
                match self { #(#named),* }
            }

            fn carried(&self) -> ::ricordo::Value {
                match self { #(#carried),* }
            }

            fn recorded(&self) -> ::ricordo::Value {
                match self { #(#recorded),* }
            }
        }
    })
}
