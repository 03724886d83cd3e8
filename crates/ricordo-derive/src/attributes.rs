//! The attributes of a field or a variant: `#[model(…)]`.

use proc_macro2::{Ident, Span, TokenStream};
use quote::{ToTokens, quote, quote_spanned};
use syn::meta::ParseNestedMeta;
use syn::spanned::Spanned;
use syn::{
    Attribute, Error, Expr, ExprLit, ExprPath, ExprUnary, Field, Lit, LitInt, LitStr, Type, UnOp, Variant,
};

use crate::names::variant_of;

/// The attributes of a field, as data about its part.
pub(crate) struct FieldAttributes {
    /// Values of `Setting`.
    settings: Vec<TokenStream>,
    /// The value that a new field holds, if one is said.
    default: Option<TokenStream>,
    /// Statements that compile only if the attributes suit the field's type.
    pub(crate) checks: TokenStream,
    /// Whether the field is beside the record.
    pub(crate) is_local: bool,
}

const FIELD_ATTRIBUTES: [&str; 32] = [
    "label",
    "description",
    "required",
    "min_length",
    "max_length",
    "format",
    "minimum",
    "maximum",
    "exclusive_minimum",
    "exclusive_maximum",
    "multiple_of",
    "step",
    "min_items",
    "max_items",
    "unique_items",
    "key",
    "default",
    "reveal",
    "findings",
    "deferred",
    "commit",
    "pause_ms",
    "decimals",
    "grouping",
    "decimal_comma",
    "display",
    "pattern",
    "trim",
    "messages",
    "readonly",
    "secret",
    "local",
];

/// The kinds of findings that a message can be given for. The variants of `FindingKind` have the same names.
const FINDINGS: [&str; 14] = [
    "value_missing",
    "type_mismatch",
    "pattern_mismatch",
    "too_long",
    "too_short",
    "range_underflow",
    "range_overflow",
    "step_mismatch",
    "bad_input",
    "too_few",
    "too_many",
    "repeated",
    "not_listed",
    "not_computable",
];

impl FieldAttributes {
    pub(crate) fn read(field: &Field) -> syn::Result<Self> {
        let mut attributes = FieldAttributes {
            settings: Vec::new(),
            default: None,
            checks: TokenStream::new(),
            is_local: false,
        };
        for attribute in model_attributes(&field.attrs) {
            attribute.parse_nested_meta(|meta| attributes.add(&meta, &field.ty))?;
        }
        Ok(attributes)
    }

    /// Returns whether anything is said of the part.
    pub(crate) fn is_empty(&self) -> bool {
        self.settings.is_empty() && self.default.is_none()
    }

    /// The arguments that describe a part: the settings, and the default.
    pub(crate) fn arguments(&self) -> TokenStream {
        let (settings, default) = self.tables();
        quote!(#settings, #default)
    }

    /// The row of a table that describes a field.
    pub(crate) fn row(&self, name: &str, ty: &Type) -> TokenStream {
        let (settings, default) = self.tables();
        let part = quote_spanned!(ty.span()=> <#ty as ::ricordo::Model>::part);
        quote!(::ricordo::model::derived::Field { name: #name, part: #part, settings: #settings, default: #default })
    }

    fn tables(&self) -> (TokenStream, TokenStream) {
        let settings = &self.settings;
        let default = match &self.default {
            Some(default) => quote!(::core::option::Option::Some(|| #default)),
            None => quote!(::core::option::Option::None),
        };
        (quote!(&[#(::ricordo::model::derived::Setting::#settings),*]), default)
    }

    #[allow(clippy::too_many_lines, reason = "one arm for each attribute")]
    fn add(&mut self, meta: &ParseNestedMeta<'_>, ty: &Type) -> syn::Result<()> {
        let name = meta.path.get_ident().map(ToString::to_string).unwrap_or_default();
        let key = &meta.path;
        // The variants of `Setting` are called as the attributes are.
        let variant = Ident::new(&variant_of(&name), key.span());
        let setting = match name.as_str() {
            "label" | "description" => {
                let text: LitStr = meta.value()?.parse()?;
                quote!(#variant(#text))
            }
            "required" | "readonly" | "secret" => quote!(#variant),
            "unique_items" => {
                self.check("suits_list", ty, key.span());
                quote!(#variant)
            }
            "key" => {
                self.check("suits_list", ty, key.span());
                let field: LitStr = meta.value()?.parse()?;
                quote!(#variant(#field))
            }
            "min_length" | "max_length" | "min_items" | "max_items" => {
                let length: LitInt = meta.value()?.parse()?;
                let number: u64 = length.base10_parse()?;
                self.check(
                    if name.ends_with("length") { "suits_text" } else { "suits_list" },
                    ty,
                    key.span(),
                );
                quote!(#variant(#number))
            }
            "minimum" | "maximum" => {
                let value = meta.value()?;
                if value.peek(LitStr) {
                    let text: LitStr = value.parse()?;
                    self.check("suits_time", ty, key.span());
                    let bound = if name == "minimum" { quote!(Earliest) } else { quote!(Latest) };
                    quote!(#bound(#text))
                } else {
                    let number = Number::of(value.parse()?)?;
                    self.check("suits_number", ty, key.span());
                    quote!(#variant(#number))
                }
            }
            "pattern" => {
                let pattern: LitStr = meta.value()?.parse()?;
                self.check("suits_text", ty, key.span());
                quote!(#variant(#pattern))
            }
            "trim" => {
                self.check("suits_text", ty, key.span());
                quote!(#variant)
            }
            "messages" => return self.messages(meta),
            "exclusive_minimum" | "exclusive_maximum" | "multiple_of" | "step" => {
                let number = Number::read(meta)?;
                if matches!(name.as_str(), "multiple_of" | "step") && !number.is_positive() {
                    return Err(meta.error(format!("`{name}` is a number greater than zero")));
                }
                if name == "step" {
                    self.check("suits_step", ty, key.span());
                    quote!(Step(#number, ::ricordo::model::derived::StepSize::new))
                } else {
                    self.check("suits_number", ty, key.span());
                    quote!(#variant(#number))
                }
            }
            "format" => {
                let variant = word(meta, &[("email", "EMAIL"), ("url", "URL"), ("uri", "URI")])?;
                self.check("suits_text", ty, key.span());
                quote!(Format(&::ricordo::model::derived::Format::#variant))
            }
            "default" => {
                let value: Expr = meta.value()?.parse()?;
                self.default = Some(quote!({
                    let default: #ty = #value;
                    ::ricordo::model::Data::to_value(&default)
                }));
                return Ok(());
            }
            "reveal" => {
                let variant =
                    word(meta, &[("touched", "Touched"), ("always", "Always"), ("submit", "Submit")])?;
                quote!(Reveal(::ricordo::model::derived::Reveal::#variant))
            }
            "findings" => {
                let variant = word(meta, &[("all", "All"), ("first", "First")])?;
                quote!(Findings(::ricordo::model::derived::Findings::#variant))
            }
            "deferred" => {
                return self.deferred(meta);
            }
            "commit" | "pause_ms" | "decimals" | "grouping" | "decimal_comma" | "display" => {
                self.showing(&name, meta, ty)?
            }
            "local" => {
                self.is_local = true;
                quote!(#variant)
            }
            _ => return Err(meta.error(unknown("attribute", &name, &FIELD_ATTRIBUTES))),
        };
        self.settings.push(setting);
        Ok(())
    }

    /// Messages in the place of the library's own: `messages(too_long = "…")`.
    fn messages(&mut self, meta: &ParseNestedMeta<'_>) -> syn::Result<()> {
        let messages = read_messages(meta)?;
        self.settings.extend(messages);
        Ok(())
    }

    /// Checks that take time: `deferred(name_is_free, pause_ms = 300)`.
    fn deferred(&mut self, meta: &ParseNestedMeta<'_>) -> syn::Result<()> {
        let (mut name, mut pause) = (None, 0_u64);
        meta.parse_nested_meta(|part| {
            let said = part.path.get_ident().map(ToString::to_string).unwrap_or_default();
            if said == "pause_ms" {
                let milliseconds: LitInt = part.value()?.parse()?;
                pause = milliseconds.base10_parse()?;
            } else if name.replace(said).is_some() {
                return Err(part.error("a check has one name; for another check, write `deferred` again"));
            }
            Ok(())
        })?;
        let Some(name) = name else {
            return Err(meta.error("a deferred check has a name: `deferred(name_is_free, pause_ms = 300)`"));
        };
        self.settings.push(quote!(Deferred(#name, #pause, ::ricordo::model::derived::DEFERRED)));
        Ok(())
    }

    /// The attributes that say when text is committed, and how a value is shown.
    fn showing(&mut self, name: &str, meta: &ParseNestedMeta<'_>, ty: &Type) -> syn::Result<TokenStream> {
        let key = &meta.path;
        Ok(match name {
            "commit" => {
                let commit: LitStr = meta.value()?.parse()?;
                let variant = match commit.value().as_str() {
                    "input" => quote!(Input),
                    "leave" => quote!(Leave),
                    _ => {
                        let message =
                            "`commit` is \"input\" or \"leave\"; for a pause there is `pause_ms = 300`";
                        return Err(Error::new_spanned(&commit, message));
                    }
                };
                quote!(Commit(::ricordo::model::derived::Commit::#variant))
            }
            "pause_ms" => {
                let milliseconds: LitInt = meta.value()?.parse()?;
                let milliseconds: u64 = milliseconds.base10_parse()?;
                quote!(PauseMs(#milliseconds))
            }
            "decimals" => {
                let decimals: LitInt = meta.value()?.parse()?;
                let decimals: u32 = decimals.base10_parse()?;
                self.check("suits_number", ty, key.span());
                quote!(Decimals(#decimals))
            }
            "grouping" => {
                self.check("suits_number", ty, key.span());
                quote!(Grouping)
            }
            "decimal_comma" => {
                self.check("suits_number", ty, key.span());
                quote!(DecimalComma)
            }
            _ => {
                let pattern: LitStr = meta.value()?.parse()?;
                quote!(Display(#pattern))
            }
        })
    }

    fn check(&mut self, function: &str, ty: &Type, span: Span) {
        let function = Ident::new(function, span);
        self.checks.extend(quote_spanned!(span=> ::ricordo::model::derived::#function::<#ty>();));
    }
}

/// The message for a name that is not among the known ones: with the nearest, by the measure of the library's own messages, or
/// else with all of them.
fn unknown(what: &str, name: &str, known: &[&str]) -> String {
    let allowed = ((name.chars().count() + 1) / 3).max(1);
    let distances = known.iter().map(|known| (strsim::osa_distance(name, known), known));
    match distances.min_by_key(|(distance, _)| *distance) {
        Some((distance, nearest)) if distance <= allowed => {
            format!("there is no {what} `{name}`; did you mean `{nearest}`?")
        }
        _ => format!("there is no {what} `{name}`; there are {}", known.join(", ")),
    }
}

/// The variant that a word stands for, of those that an attribute can be given.
fn word(meta: &ParseNestedMeta<'_>, words: &[(&str, &str)]) -> syn::Result<Ident> {
    let given: LitStr = meta.value()?.parse()?;
    let found = words.iter().find(|(word, _)| given.value() == *word);
    if let Some((_, variant)) = found {
        return Ok(Ident::new(variant, Span::call_site()));
    }
    let known: Vec<String> = words.iter().map(|(word, _)| format!("\"{word}\"")).collect();
    let name = meta.path.get_ident().map(ToString::to_string).unwrap_or_default();
    Err(Error::new_spanned(&given, format!("`{name}` is one of {}", known.join(", "))))
}

/// Messages in the place of the library's own, as settings.
fn read_messages(meta: &ParseNestedMeta<'_>) -> syn::Result<Vec<TokenStream>> {
    let mut messages = Vec::new();
    meta.parse_nested_meta(|message| {
        let kind = message.path.get_ident().map(ToString::to_string).unwrap_or_default();
        if !FINDINGS.contains(&&*kind) {
            return Err(message.error(unknown("kind of finding", &kind, &FINDINGS)));
        }
        let variant = Ident::new(&variant_of(&kind), Span::call_site());
        let text: LitStr = message.value()?.parse()?;
        messages.push(quote!(Message(::ricordo::model::derived::FindingKind::#variant, #text)));
        Ok(())
    })?;
    Ok(messages)
}

/// The label of a variant, if it has one.
pub(crate) fn variant_label(variant: &Variant) -> syn::Result<Option<LitStr>> {
    let mut label = None;
    for attribute in model_attributes(&variant.attrs) {
        attribute.parse_nested_meta(|meta| {
            if !meta.path.is_ident("label") {
                return Err(meta.error("a variant can only have a `label`"));
            }
            label = Some(meta.value()?.parse()?);
            Ok(())
        })?;
    }
    Ok(label)
}

/// Returns whether a struct around one other type is a scalar. Refuses all other attributes.
pub(crate) fn is_scalar(attributes: &[Attribute]) -> syn::Result<bool> {
    let mut is_scalar = false;
    for attribute in model_attributes(attributes) {
        attribute.parse_nested_meta(|meta| {
            if !meta.path.is_ident("scalar") {
                return Err(meta.error(
                    "a type around another takes `scalar`; other attributes belong on what it holds",
                ));
            }
            is_scalar = true;
            Ok(())
        })?;
    }
    Ok(is_scalar)
}

/// Returns whether a type is declared a scalar: `#[model(scalar)]`.
pub(crate) fn says_scalar(attributes: &[Attribute]) -> bool {
    model_attributes(attributes)
        .any(|attribute| attribute.parse_args::<Ident>().is_ok_and(|name| name == "scalar"))
}

/// The attributes of a type: `#[model(…)]`.
#[derive(Default)]
pub(crate) struct TypeAttributes {
    /// The function that declares the rules of the record type: `#[model(rules = Batch::rules)]`.
    pub(crate) rules: Option<ExprPath>,
    /// The label of the tag of an enum with data: `#[model(label = "Leaven")]`.
    pub(crate) label: Option<LitStr>,
    /// Messages for all findings about such a record and what is in it, as settings.
    pub(crate) messages: Vec<TokenStream>,
}

impl TypeAttributes {
    pub(crate) fn read(attributes: &[Attribute], is_enum: bool) -> syn::Result<Self> {
        let mut read = TypeAttributes::default();
        for attribute in model_attributes(attributes) {
            attribute.parse_nested_meta(|meta| {
                if is_enum && meta.path.is_ident("label") {
                    read.label = Some(meta.value()?.parse()?);
                    return Ok(());
                }
                if !is_enum && meta.path.is_ident("messages") {
                    read.messages.extend(read_messages(&meta)?);
                    return Ok(());
                }
                if !meta.path.is_ident("rules") {
                    return Err(meta.error(if is_enum {
                        "an enum with data takes `rules = FUNCTION` and `label = \"…\"`; other attributes belong on fields"
                    } else {
                        "a type takes `rules = FUNCTION` and `messages(…)`; other attributes belong on fields"
                    }));
                }
                match read.rules.replace(meta.value()?.parse()?) {
                    None => Ok(()),
                    Some(_) => {
                        Err(meta.error("a type has one function that declares its rules; it may call others"))
                    }
                }
            })?;
        }
        Ok(read)
    }
}

/// Refuses `#[model(…)]` where it means nothing.
pub(crate) fn refuse(attributes: &[Attribute]) -> syn::Result<()> {
    match model_attributes(attributes).next() {
        Some(attribute) => Err(Error::new_spanned(
            attribute,
            "`#[model(…)]` belongs on fields and variants, not on the type",
        )),
        None => Ok(()),
    }
}

fn model_attributes(attributes: &[Attribute]) -> impl Iterator<Item = &Attribute> {
    attributes.iter().filter(|attribute| attribute.path().is_ident("model"))
}

/// A number literal, kept as its digits so that decimals are exact.
struct Number(String);

impl Number {
    /// As many digits as a decimal surely holds.
    const MOST_DIGITS: usize = 28;

    fn read(meta: &ParseNestedMeta<'_>) -> syn::Result<Self> {
        Number::of(meta.value()?.parse()?)
    }

    #[allow(clippy::needless_pass_by_value, reason = "what was parsed is given away")]
    fn of(expression: Expr) -> syn::Result<Self> {
        let (negative, literal) = match &expression {
            Expr::Unary(ExprUnary { op: UnOp::Neg(_), expr, .. }) => (true, &**expr),
            other => (false, other),
        };
        let digits = match literal {
            Expr::Lit(ExprLit { lit: Lit::Int(literal), .. }) if literal.suffix().is_empty() => {
                Some(literal.base10_digits().to_owned())
            }
            Expr::Lit(ExprLit { lit: Lit::Float(literal), .. }) if literal.suffix().is_empty() => {
                Some(literal.base10_digits().to_owned())
            }
            _ => None,
        };
        let digits = digits.filter(|digits| {
            !digits.contains(['e', 'E'])
                && digits.bytes().filter(u8::is_ascii_digit).count() <= Self::MOST_DIGITS
        });
        let Some(digits) = digits else {
            let message = "a plain number is needed here, such as 500 or 0.25, of at most 28 digits";
            return Err(Error::new_spanned(&expression, message));
        };
        let digits = digits.trim_end_matches('.');
        Ok(Number(if negative { format!("-{digits}") } else { digits.to_owned() }))
    }

    fn is_positive(&self) -> bool {
        !self.0.starts_with('-') && self.0.bytes().any(|byte| (b'1'..=b'9').contains(&byte))
    }
}

impl ToTokens for Number {
    fn to_tokens(&self, tokens: &mut TokenStream) {
        let digits = &self.0;
        digits.to_tokens(tokens);
    }
}
