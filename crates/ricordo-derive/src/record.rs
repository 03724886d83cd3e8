//! Structs as records.

use std::collections::HashMap;

use proc_macro2::{Ident, TokenStream};
use quote::{format_ident, quote, quote_spanned};
use syn::spanned::Spanned;
use syn::{DeriveInput, Error, ExprPath, FieldsNamed, Type, Visibility};

use crate::attributes::{FieldAttributes, TypeAttributes};
use crate::frame::Frame;
use crate::names::SerdeNames;

/// The fields of a struct or of a variant, as code.
#[derive(Default)]
pub(crate) struct RecordFields {
    /// The rows of the table of fields.
    pub(crate) parts: Vec<TokenStream>,
    /// Names with values, but for local fields.
    pub(crate) writes: Vec<TokenStream>,
    /// The fields of a literal, from `members`.
    pub(crate) reads: Vec<TokenStream>,
    /// Methods of the path type.
    pub(crate) paths: Vec<TokenStream>,
    /// Statements that compile only if the attributes suit the types.
    pub(crate) checks: Vec<TokenStream>,
    /// The fields that are not part of the record.
    pub(crate) locals: Vec<Ident>,
}

impl RecordFields {
    /// Reads fields with these names. `reference` is the code that borrows a field, `visibility` that of the methods if the
    /// fields have none of their own, and `before` the number of members that stand before them in a value.
    pub(crate) fn read(
        fields: &FieldsNamed,
        names: &SerdeNames,
        visibility: Option<&Visibility>,
        before: usize,
        reference: impl Fn(&Ident) -> TokenStream,
    ) -> syn::Result<Self> {
        let mut taken = HashMap::new();
        let mut read = RecordFields::default();
        for (index, field) in fields.named.iter().enumerate() {
            let Some(ident) = &field.ident else { continue };
            let (ty, vis) = (&field.ty, visibility.unwrap_or(&field.vis));
            let attributes = FieldAttributes::read(field)?;
            let name = names.field(ident, &SerdeNames::read_of(&field.attrs, attributes.is_local)?);
            if let Some(other) = taken.insert(name.clone(), ident) {
                return Err(Error::new_spanned(
                    ident,
                    format!("`{ident}` and `{other}` are both named “{name}”"),
                ));
            }
            let row = attributes.row(&name, ty);
            read.checks.push(attributes.checks);
            // Spanned on the type, and all through one trait, so that the compiler points at a type that cannot be
            // a part, and reports it once.
            let span = ty.span();
            read.parts.push(row);
            if attributes.is_local {
                read.locals.push(ident.clone());
                read.reads.push(quote_spanned!(span=> #ident: <#ty as ::core::default::Default>::default()));
            } else {
                let reference = reference(ident);
                read.writes
                    .push(quote_spanned!(span=> (#name, <#ty as ::ricordo::Model>::to_member(#reference))));
                let index = before + index;
                read.reads.push(quote_spanned! {span=>
                    #ident: <#ty as ::ricordo::Model>::member(members, #index, #name)?
                });
            }
            let position = u32::try_from(index).map_err(|_| Error::new_spanned(ident, "too many fields"))?;
            read.paths.push(path_to(ident, &name, ty, vis, &[position]));
        }
        Ok(read)
    }
}

/// The method of a path type that leads on to a place of a type.
pub(crate) fn path_to(ident: &Ident, name: &str, ty: &Type, vis: &Visibility, steps: &[u32]) -> TokenStream {
    let span = ty.span();
    let path = quote_spanned!(span=> <#ty as ::ricordo::Model>::At<M, #ty>);
    let made = quote_spanned!(span=> <#ty as ::ricordo::Model>::at(route));
    let docs = format!("The path to `{name}`.");
    quote! {
        #[doc = #docs]
        #[must_use]
        #vis fn #ident(&self) -> #path {
            let route = self.route;
            #(let route = ::ricordo::model::derived::step(route, #steps);)*
            #made
        }
    }
}

pub(crate) fn expand(input: &DeriveInput, fields: &FieldsNamed) -> syn::Result<TokenStream> {
    let TypeAttributes { rules, messages, .. } = TypeAttributes::read(&input.attrs, false)?;
    let rules = attach_rules(rules);
    let names = SerdeNames::read(&input.attrs)?;
    names.refuse_tag()?;
    let record = &input.ident;
    let at = format_ident!("{}At", record);
    let RecordFields { parts, writes, reads, paths, checks, .. } =
        RecordFields::read(fields, &names, None, 0, |ident| quote!(&self.#ident))?;

    let docs = format!("The typed path to a [`{record}`], with a method for each of its fields.");
    let path = expand_path(&docs, &at, &paths);
    let to_value = quote!(::ricordo::model::derived::record([#(#writes),*]));
    let from_value = quote! {
        #[allow(unused_variables)]
        let members = ::ricordo::model::derived::members(value)?;
        ::core::result::Result::Ok(#record { #(#reads),* })
    };
    let part = quote! {
        #(#checks)*
        let record = schema.record_of::<Self>(|schema, record| {
            ::ricordo::model::derived::add_fields(schema, record, const { &[#(#parts),*] })?;
            #rules
            ::core::result::Result::Ok(())
        })?;
        ::ricordo::model::derived::describe(
            ::ricordo::schema::Part::new(::ricordo::schema::Kind::Record(record)),
            &[#(::ricordo::model::derived::Setting::#messages),*],
            ::core::option::Option::None,
        )
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

/// The statement that attaches the rules of a type to its `record`.
pub(crate) fn attach_rules(rules: Option<ExprPath>) -> Option<TokenStream> {
    rules.map(|rules| {
        quote_spanned!(rules.span()=> schema.attach(record, ::ricordo::form::rules_of::<Self>(#rules));)
    })
}

/// The type of the paths to a record. It has no methods of its own but those named after fields.
pub(crate) fn expand_path(docs: &str, at: &Ident, paths: &[TokenStream]) -> TokenStream {
    let ty = expand_path_type(docs, at, paths);
    quote! {
        #ty

        #[automatically_derived]
        impl<M: 'static, P: ::ricordo::model::Data> ::ricordo::model::Locate<M> for #at<M, P> {
            type Target = P;

            fn spot(self) -> ::core::result::Result<::ricordo::model::Spot, ::ricordo::Error> {
                ::ricordo::model::Spot::of_route(self.route)
            }
        }
    }
}

/// The type of the paths through something that is not a place itself.
pub(crate) fn expand_path_type(docs: &str, at: &Ident, paths: &[TokenStream]) -> TokenStream {
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
    }
}
