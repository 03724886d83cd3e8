//! Types around one other type, and scalars of their own.

use proc_macro2::TokenStream;
use quote::{quote, quote_spanned};
use syn::spanned::Spanned;
use syn::{DeriveInput, Error, Field, Type};

use crate::attributes::{FieldAttributes, is_scalar};
use crate::frame::Frame;

/// A type around one other: it is what that is, with the constraints that are said of it.
pub(crate) fn expand(input: &DeriveInput, field: &Field) -> syn::Result<TokenStream> {
    if is_scalar(&input.attrs)? {
        return Ok(expand_scalar(input));
    }
    let (wrapper, ty) = (&input.ident, &field.ty);
    let attributes = FieldAttributes::read(field)?;
    if attributes.is_local {
        return Err(Error::new_spanned(field, "only a field of a record can be local"));
    }
    let (span, checks, arguments) = (ty.span(), &attributes.checks, attributes.arguments());
    let part = quote_spanned!(span=> ::ricordo::model::derived::describe(<#ty as ::ricordo::Model>::part(schema)?, #arguments));
    let markers = markers(ty).into_iter().map(|marker| {
        let marker = syn::Ident::new(marker, span);
        quote!(#[automatically_derived] impl ::ricordo::model::derived::#marker for #wrapper {})
    });
    let number = is_number(ty)
        .then(|| quote!(#[automatically_derived] impl ::ricordo::model::HoldsNumber for #wrapper {}));
    let frame = Frame {
        ty: wrapper,
        to_value: quote!(<#ty as ::ricordo::model::Data>::to_value(&self.0)),
        from_value: quote!(<#ty as ::ricordo::model::Data>::from_value(value).map(#wrapper)),
        path: quote!(<#ty as ::ricordo::Model>::At<M, P>),
        at: quote!(<#ty as ::ricordo::Model>::at(route)),
        part: quote! {
            #checks
            #part
        },
        beside: quote!(#(#markers)* #number),
    };
    Ok(frame.expand())
}

/// A scalar of the program's own: a text that the type parses and writes.
pub(crate) fn expand_scalar(input: &DeriveInput) -> TokenStream {
    let scalar = &input.ident;
    let to_value = quote!(::core::convert::From::from(<#scalar as ::ricordo::model::Scalar>::write(self)));
    let from_value = quote!(::ricordo::model::derived::scalar_of(value));
    let part = quote!(::core::result::Result::Ok(::ricordo::model::derived::part_of_scalar::<Self>()));
    Frame::of_scalar(scalar, to_value, from_value, part).expand()
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

/// Checks that the attributes suit the wrapped type.
fn markers(ty: &Type) -> Vec<&'static str> {
    match name_of(ty).as_deref() {
        Some("String") => vec!["TextField"],
        Some("Vec") => vec!["ListField"],
        Some("Date" | "Time" | "DateTime") => vec!["TimeField"],
        _ if is_number(ty) => vec!["NumberField"],
        _ => Vec::new(),
    }
}
