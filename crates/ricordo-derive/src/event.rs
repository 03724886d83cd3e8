//! Enums as events that components tell.

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
    let (mut named, mut carried) = (vec![], vec![]);
    for variant in &data.variants {
        let ident = &variant.ident;
        let name = names.event(ident, &SerdeNames::read(&variant.attrs)?);
        named.push(quote!(#event::#ident { .. } => #name));
        carried.push(match &variant.fields {
            Fields::Unit => quote!(#event::#ident => ::core::default::Default::default()),
            Fields::Unnamed(fields) if fields.unnamed.len() == 1 => {
                quote!(#event::#ident(carried) => ::ricordo::model::Data::to_value(carried))
            }
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
                quote! {
                    #event::#ident { #(#idents: #bound),* } => ::ricordo::model::derived::record(
                        [#((#members, ::ricordo::model::Data::to_value(#bound))),*]
                    )
                }
            }
        });
    }
    if data.variants.is_empty() {
        return Err(Error::new_spanned(event, "there must be at least one event to tell"));
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
        }
    })
}
