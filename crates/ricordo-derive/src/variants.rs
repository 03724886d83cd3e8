//! Enums with data as records with variants.

use std::collections::HashMap;

use proc_macro2::{Ident, TokenStream};
use quote::{format_ident, quote, quote_spanned};
use syn::spanned::Spanned;
use syn::{DataEnum, DeriveInput, Error, Field, Fields, FieldsNamed, LitStr, Variant};

use crate::attributes::{FieldAttributes, TypeAttributes, variant_label};
use crate::frame::Frame;
use crate::names::{SerdeNames, identifier, method_of};
use crate::record::{RecordFields, attach_rules, expand_path, expand_path_type, path_to};

/// Returns whether an enum is a record with variants, and not a choice.
pub(crate) fn is_with_data(input: &DeriveInput, data: &DataEnum) -> bool {
    let has_data = data.variants.iter().any(|variant| !matches!(variant.fields, Fields::Unit));
    has_data || SerdeNames::read(&input.attrs).is_ok_and(|names| names.tag.is_some())
}

/// An enum with data, and how its variants are told apart.
struct WithData<'a> {
    input: &'a DeriveInput,
    names: SerdeNames,
    tag: String,
    content: Option<String>,
}

/// The generated code of one variant.
#[derive(Default)]
struct Expanded {
    /// Code that gives the `RecordId` of the fields.
    fields: TokenStream,
    /// Arms of matches.
    write: TokenStream,
    read: TokenStream,
    /// The method of the path type that leads to what is in the variant.
    path: TokenStream,
    /// The type of that path, if it has one of its own.
    beside: TokenStream,
    checks: Vec<TokenStream>,
}

pub(crate) fn expand(input: &DeriveInput, data: &DataEnum) -> syn::Result<TokenStream> {
    let TypeAttributes { rules, label, .. } = TypeAttributes::read(&input.attrs, true)?;
    let names = SerdeNames::read(&input.attrs)?;
    let Some(tag) = &names.tag else {
        return Err(Error::new_spanned(
            &input.ident,
            "an enum whose variants have fields needs `#[serde(tag = \"kind\")]`: the name of the field that says which \
             variant it is",
        ));
    };
    let (tag, content) = (tag.value(), names.content.as_ref().map(LitStr::value));
    let with_data = WithData { input, names, tag, content };
    let (ident, vis, tag) = (&input.ident, &input.vis, &with_data.tag);
    let (at, tag_type) = (format_ident!("{ident}At"), format_ident!("{ident}Tag"));
    let tag_method = identifier(tag, ident.span());

    let mut taken: HashMap<String, &Ident> = HashMap::new();
    let (mut choices, mut added, mut writes, mut reads) = (vec![], vec![], vec![], vec![]);
    let (mut paths, mut beside, mut checks) = (vec![], vec![], vec![]);
    let tag_path: syn::Type = syn::parse_quote!(#tag_type);
    paths.push(path_to(&tag_method, tag, &tag_path, vis, &[0]));
    for (position, variant) in data.variants.iter().enumerate() {
        let name = with_data.names.variant(&variant.ident, &SerdeNames::read(&variant.attrs)?);
        if let Some(other) = taken.insert(name.clone(), &variant.ident) {
            let problem = format!("`{}` and `{other}` are both named “{name}”", variant.ident);
            return Err(Error::new_spanned(&variant.ident, problem));
        }
        if method_of(&variant.ident) == tag_method && !matches!(variant.fields, Fields::Unit) {
            let problem = format!("both the tag and this variant would have the path `{tag_method}`");
            return Err(Error::new_spanned(&variant.ident, problem));
        }
        // The variants come after the only field of the record itself.
        let slot = u32::try_from(position + 1)
            .map_err(|_| Error::new_spanned(&variant.ident, "too many variants"))?;
        let expanded = with_data.variant(variant, &name, slot)?;
        let label = variant_label(variant)?.map(|label| quote!(#[model(label = #label)]));
        let (variant, docs) = (&variant.ident, format!("The variant `{name}`."));
        choices.push(quote!(#[doc = #docs] #label #[serde(rename = #name)] #variant));
        let fields = expanded.fields;
        added.push(quote! {
            let fields = #fields;
            schema.variant(record, #name, fields)?;
        });
        writes.push(expanded.write);
        reads.push(expanded.read);
        paths.push(expanded.path);
        beside.push(expanded.beside);
        checks.extend(expanded.checks);
    }

    let docs = format!(
        "The typed path to a [`{ident}`], with a method for its tag and for each variant with fields."
    );
    let path = expand_path(&docs, &at, &paths);
    let rules = attach_rules(rules);
    let settings = label.map(|label| quote!(::ricordo::model::derived::Setting::Label(#label)));
    let settings = settings.into_iter();
    let frame = Frame {
        ty: ident,
        to_value: quote!(match self { #(#writes)* }),
        from_value: quote! {
            let members = ::ricordo::model::derived::members(value)?;
            match ::ricordo::model::derived::tag(members, #tag) {
                #(#reads)*
                _ => ::ricordo::model::derived::no_tag(members, #tag),
            }
        },
        path: quote!(#at<M, P>),
        at: quote!(#at { route, types: ::core::marker::PhantomData }),
        part: quote! {
            #(#checks)*
            let record = schema.record_of::<Self>(|schema, record| {
                ::ricordo::model::derived::add_fields(schema, record, const { &[::ricordo::model::derived::Field {
                    name: #tag,
                    part: <#tag_type as ::ricordo::Model>::part,
                    settings: &[#(#settings),*],
                    default: ::core::option::Option::None,
                }] })?;
                #(#added)*
                #rules
                ::core::result::Result::Ok(())
            })?;
            ::core::result::Result::Ok(::ricordo::schema::Part::new(::ricordo::schema::Kind::Record(record)))
        },
        beside: quote!(#path #(#beside)*),
    };
    let (tag_type, frame) = (with_data.tag_type(&tag_type, &choices), frame.expand());
    Ok(quote!(#tag_type #frame))
}

impl WithData<'_> {
    /// The type of the tag: an enum with the same variants, but without their fields.
    fn tag_type(&self, tag_type: &Ident, choices: &[TokenStream]) -> TokenStream {
        let (vis, docs) = (&self.input.vis, format!("The variant of a [`{}`].", self.input.ident));
        quote! {
            #[doc = #docs]
            #[allow(dead_code, clippy::all, clippy::pedantic)]
            #[derive(
                ::core::clone::Clone,
                ::core::marker::Copy,
                ::core::fmt::Debug,
                ::core::cmp::PartialEq,
                ::core::cmp::Eq,
                ::core::hash::Hash,
                ::ricordo::Model,
            )]
            #vis enum #tag_type {
                #(#choices),*
            }
        }
    }

    fn variant(&self, variant: &Variant, name: &str, slot: u32) -> syn::Result<Expanded> {
        match &variant.fields {
            Fields::Unit => Ok(self.unit(variant, name)),
            Fields::Named(fields) => self.with_fields(variant, fields, name, slot),
            Fields::Unnamed(fields) if fields.unnamed.len() == 1 => {
                self.around(variant, &fields.unnamed[0], name, slot)
            }
            Fields::Unnamed(_) => Err(Error::new_spanned(
                variant,
                "a variant has named fields, such as `Sourdough { hours: u32 }`, or holds one type",
            )),
        }
    }

    fn unit(&self, variant: &Variant, name: &str) -> Expanded {
        let (ty, tag, variant) = (&self.input.ident, &self.tag, &variant.ident);
        Expanded {
            fields: quote!(schema.open_record()),
            write: quote! {
                #ty::#variant => ::ricordo::model::derived::record([(#tag, ::core::convert::From::from(#name))]),
            },
            read: quote!(::core::option::Option::Some(#name) => ::core::result::Result::Ok(#ty::#variant),),
            ..Expanded::default()
        }
    }

    fn with_fields(
        &self,
        variant: &Variant,
        fields: &FieldsNamed,
        name: &str,
        slot: u32,
    ) -> syn::Result<Expanded> {
        let (ty, vis, tag) = (&self.input.ident, &self.input.vis, &self.tag);
        let names = self.names.fields_of(&SerdeNames::read(&variant.attrs)?);
        let before = usize::from(self.content.is_none());
        let RecordFields { parts, writes, reads, paths, checks, locals } =
            RecordFields::read(fields, &names, Some(vis), before, |ident| quote!(#ident))?;
        let at = format_ident!("{ty}{}At", variant.ident);
        let docs = format!("The typed paths to the fields of [`{ty}::{}`].", variant.ident);
        let method = method_of(&variant.ident);
        let steps = self.way(slot);
        let variant = &variant.ident;
        let bound: Vec<&Ident> = fields
            .named
            .iter()
            .filter_map(|field| field.ident.as_ref())
            .filter(|ident| !locals.contains(ident))
            .collect();
        let tagged = quote!((#tag, ::core::convert::From::from(#name)));
        let (value, members) = match &self.content {
            None => (quote!(::ricordo::model::derived::record([#tagged, #(#writes),*])), quote!()),
            Some(content) => (
                quote!(::ricordo::model::derived::record([
                    #tagged,
                    (#content, ::ricordo::model::derived::record([#(#writes),*])),
                ])),
                quote!(let members = ::ricordo::model::derived::content(members, #content)?;),
            ),
        };
        let docs_of_method = format!("The paths to the fields that there are while `{tag}` is `{name}`.");
        Ok(Expanded {
            fields: self.wrapped(quote!({
                let record = schema.open_record();
                ::ricordo::model::derived::add_fields(schema, record, const { &[#(#parts),*] })?;
                record
            })),
            write: quote!(#ty::#variant { #(#bound,)* .. } => #value,),
            read: quote! {
                ::core::option::Option::Some(#name) => {
                    #members
                    ::core::result::Result::Ok(#ty::#variant { #(#reads),* })
                }
            },
            path: quote! {
                #[doc = #docs_of_method]
                #[must_use]
                #vis fn #method(&self) -> #at<M, P> {
                    let route = self.route;
                    #(let route = ::ricordo::model::derived::step(route, #steps);)*
                    #at { route, types: ::core::marker::PhantomData }
                }
            },
            beside: expand_path_type(&docs, &at, &paths),
            checks,
        })
    }

    fn around(&self, variant: &Variant, field: &Field, name: &str, slot: u32) -> syn::Result<Expanded> {
        let (ty, vis, tag, inner) = (&self.input.ident, &self.input.vis, &self.tag, &field.ty);
        let attributes = FieldAttributes::read(field)?;
        if attributes.is_local {
            return Err(Error::new_spanned(field, "only a field of a record can be local"));
        }
        if !attributes.is_empty() && self.content.is_none() {
            let problem = "what a variant holds has its own attributes; here, they belong on its fields";
            return Err(Error::new_spanned(field, problem));
        }
        let span = inner.span();
        let part = quote_spanned!(span=> <#inner as ::ricordo::Model>::part(schema)?);
        let row = self.content.as_ref().map(|content| attributes.row(content, inner));
        let written = quote_spanned!(span=> <#inner as ::ricordo::model::Data>::to_value(held));
        let (method, ident) = (method_of(&variant.ident), &variant.ident);
        let path = path_to(&method, name, inner, vis, &self.way(slot));
        let tagged = quote!((#tag, ::core::convert::From::from(#name)));
        let read_with = |read: TokenStream| {
            quote! {
                ::core::option::Option::Some(#name) => { #read }
            }
        };
        let (fields, value, read) = match &self.content {
            None => (
                quote_spanned!(span=> ::ricordo::model::derived::record_in(&#part, #name)?),
                quote!(::ricordo::model::derived::tagged(#tag, #name, #written)),
                read_with(
                    quote_spanned!(span=> <#inner as ::ricordo::model::Data>::from_value(value).map(#ty::#ident)),
                ),
            ),
            Some(content) => (
                quote!({
                    let record = schema.open_record();
                    ::ricordo::model::derived::add_fields(schema, record, const { &[#row] })?;
                    record
                }),
                quote!(::ricordo::model::derived::record([#tagged, (#content, #written)])),
                read_with(quote_spanned!(span=>
                    <#inner as ::ricordo::Model>::member(members, 1, #content).map(#ty::#ident)
                )),
            ),
        };
        let write = quote!(#ty::#ident(held) => #value,);
        Ok(Expanded {
            fields,
            write,
            read,
            path,
            beside: TokenStream::new(),
            checks: vec![attributes.checks],
        })
    }

    /// The record with the content of a variant in it, or that content itself if it has no name.
    fn wrapped(&self, fields: TokenStream) -> TokenStream {
        match &self.content {
            None => fields,
            Some(content) => quote!({
                let held = #fields;
                let record = schema.open_record();
                let part = ::ricordo::schema::Part::new(::ricordo::schema::Kind::Record(held));
                schema.field(record, #content, part)?;
                record
            }),
        }
    }

    /// The steps from the record to what is in the variant at a slot.
    fn way(&self, slot: u32) -> Vec<u32> {
        std::iter::once(slot).chain(self.content.as_ref().map(|_| 0)).collect()
    }
}
