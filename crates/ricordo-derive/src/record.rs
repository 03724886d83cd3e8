//! Structs as records.

use std::collections::HashMap;

use proc_macro2::{Ident, TokenStream};
use quote::{format_ident, quote, quote_spanned};
use syn::spanned::Spanned;
use syn::{DeriveInput, Error, FieldsNamed};

use crate::attributes::{FieldAttributes, rules_of};
use crate::frame::Frame;
use crate::names::SerdeNames;

pub(crate) fn expand(input: &DeriveInput, fields: &FieldsNamed) -> syn::Result<TokenStream> {
    let rules = rules_of(&input.attrs)?;
    let names = SerdeNames::read(&input.attrs)?;
    let record = &input.ident;
    let at = format_ident!("{}At", record);

    let mut taken = HashMap::new();
    let (mut parts, mut writes, mut reads, mut paths, mut checks) = (vec![], vec![], vec![], vec![], vec![]);
    for (index, field) in fields.named.iter().enumerate() {
        let Some(ident) = &field.ident else { continue };
        let (ty, vis) = (&field.ty, &field.vis);
        let attributes = FieldAttributes::read(field)?;
        let name = names.field(ident, &SerdeNames::read_of(&field.attrs, attributes.is_local)?);
        if let Some(other) = taken.insert(name.clone(), ident) {
            return Err(Error::new_spanned(
                ident,
                format!("`{ident}` and `{other}` are both named “{name}”"),
            ));
        }
        let changes = &attributes.changes;
        checks.push(attributes.checks);
        // Spanned on the type, so that a type which cannot be a part is what the compiler points at.
        let span = ty.span();
        let part = quote_spanned!(span=> <#ty as ::ricordo::Model>::part(schema)?);
        let path = quote_spanned!(span=> <#ty as ::ricordo::Model>::At<M, #ty>);
        let made = quote_spanned!(span=> <#ty as ::ricordo::Model>::at(route));
        parts.push(quote! {
            #[allow(unused_mut)]
            let mut part = #part;
            #changes
            schema.field(record, #name, part)?;
        });
        if attributes.is_local {
            reads.push(quote_spanned!(span=> #ident: <#ty as ::core::default::Default>::default()));
        } else {
            writes.push(
                quote_spanned!(span=> (#name, <#ty as ::ricordo::model::Data>::to_value(&self.#ident))),
            );
            reads.push(quote_spanned! {span=>
                #ident: ::ricordo::model::derived::member::<#ty>(members, #index, #name)?
            });
        }
        let position = u32::try_from(index).map_err(|_| Error::new_spanned(ident, "too many fields"))?;
        let docs = format!("The path to `{name}`.");
        paths.push(quote! {
            #[doc = #docs]
            #[must_use]
            #vis fn #ident(&self) -> #path {
                let route = ::ricordo::model::derived::field(self.route, #position);
                #made
            }
        });
    }

    let rules = rules.map(|rules| {
        quote_spanned!(rules.span()=> schema.attach(record, ::ricordo::form::rules_of::<Self>(#rules));)
    });
    let path = expand_path(record, &at, &paths);
    let to_value = quote!(::ricordo::model::derived::record([#(#writes),*]));
    let from_value = quote! {
        #[allow(unused_variables)]
        let members = ::ricordo::model::derived::members(value)?;
        ::core::result::Result::Ok(#record { #(#reads),* })
    };
    let part = quote! {
        #(#checks)*
        let record = schema.record_of::<Self>(|schema, record| {
            #(#parts)*
            #rules
            ::core::result::Result::Ok(())
        })?;
        ::core::result::Result::Ok(::ricordo::schema::Part::new(::ricordo::schema::Kind::Record(record)))
    };
    let frame = Frame {
        ty: record,
        to_value,
        from_value,
        path: quote!(#at<M, P>),
        at: quote!(#at { route, types: ::core::marker::PhantomData }),
        part,
        beside: path,
    };
    Ok(frame.expand())
}

/// The type of the paths to a record. It has no methods of its own but those named after fields.
fn expand_path(record: &Ident, at: &Ident, paths: &[TokenStream]) -> TokenStream {
    let docs = format!("The typed path to a [`{record}`], with a method for each of its fields.");
    quote! {
        #[doc = #docs]
        pub struct #at<M, P> {
            route: ::ricordo::schema::Route,
            types: ::core::marker::PhantomData<fn() -> (M, P)>,
        }

        #[automatically_derived]
        impl<M, P> ::core::clone::Clone for #at<M, P> {
            fn clone(&self) -> Self {
                *self
            }
        }

        #[automatically_derived]
        impl<M, P> ::core::marker::Copy for #at<M, P> {}

        #[automatically_derived]
        impl<M, P> ::core::fmt::Debug for #at<M, P> {
            fn fmt(&self, formatter: &mut ::core::fmt::Formatter<'_>) -> ::core::fmt::Result {
                formatter.debug_tuple(::core::stringify!(#at)).field(&self.route).finish()
            }
        }

        #[automatically_derived]
        #[allow(dead_code)]
        impl<M: 'static, P: ::ricordo::model::Data> #at<M, P> {
            #(#paths)*
        }

        #[automatically_derived]
        impl<M: 'static, P: ::ricordo::model::Data> ::ricordo::model::Locate<M> for #at<M, P> {
            type Target = P;

            fn spot(self) -> ::core::result::Result<::ricordo::model::Spot, ::ricordo::Error> {
                ::ricordo::model::Spot::of_route(self.route)
            }
        }
    }
}
