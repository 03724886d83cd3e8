//! The derive macro of `ricordo`. Use it as `ricordo::Model`; its attributes are described in
//! `ricordo::model`.

mod attributes;
mod choice;
mod event;
mod frame;
mod names;
mod record;
mod variants;
mod wrapper;

use proc_macro::TokenStream;
use syn::{Data, DeriveInput, Error, Fields, parse_macro_input};

/// Makes a struct with named fields a record of a form, a struct around one other type what that is, an enum without fields
/// a choice, an enum with fields a record with variants, and with `#[model(scalar)]` any type a scalar of its own.
#[proc_macro_derive(Model, attributes(model, serde))]
pub fn derive_model(input: TokenStream) -> TokenStream {
    let input = parse_macro_input!(input as DeriveInput);
    expand(&input).unwrap_or_else(Error::into_compile_error).into()
}

/// Makes an enum the events that a component emits.
#[proc_macro_derive(Event, attributes(serde))]
pub fn derive_event(input: TokenStream) -> TokenStream {
    let input = parse_macro_input!(input as DeriveInput);
    refuse_parameters(&input)
        .and_then(|()| event::expand(&input))
        .unwrap_or_else(Error::into_compile_error)
        .into()
}

fn refuse_parameters(input: &DeriveInput) -> syn::Result<()> {
    if input.generics.params.is_empty() {
        return Ok(());
    }
    Err(Error::new_spanned(
        &input.generics,
        "neither a model nor its events can have type or lifetime parameters",
    ))
}

fn expand(input: &DeriveInput) -> syn::Result<proc_macro2::TokenStream> {
    refuse_parameters(input)?;
    match &input.data {
        Data::Struct(data) => match &data.fields {
            _ if attributes::says_scalar(&input.attrs) => Ok(wrapper::expand_scalar(input)),
            Fields::Named(fields) => record::expand(input, fields),
            Fields::Unnamed(fields) if fields.unnamed.len() == 1 => {
                wrapper::expand(input, &fields.unnamed[0])
            }
            Fields::Unnamed(_) | Fields::Unit => Err(Error::new_spanned(
                &input.ident,
                "a model is a struct with named fields, such as `struct Oven { degrees: u16 }`, or one around one \
                 other type, such as `struct Degrees(u16);`",
            )),
        },
        Data::Enum(_) if attributes::says_scalar(&input.attrs) => Ok(wrapper::expand_scalar(input)),
        Data::Enum(data) if variants::is_with_data(input, data) => variants::expand(input, data),
        Data::Enum(data) => choice::expand(input, data),
        Data::Union(_) => {
            Err(Error::new_spanned(&input.ident, "a union cannot be a model; use a struct or an enum"))
        }
    }
}
