//! Names as `serde` would have them.

use proc_macro2::Ident;
use syn::ext::IdentExt;
use syn::{Attribute, Error, LitStr, Token};

/// The names that `#[serde(…)]` gives to a field, a variant or a whole type.
#[derive(Default)]
pub(crate) struct SerdeNames {
    rename: Option<String>,
    rename_all: Option<Case>,
    /// The case of the fields of all variants.
    rename_all_fields: Option<Case>,
    /// The member that says which variant it is.
    pub(crate) tag: Option<LitStr>,
    /// The member that holds the fields of the variant, if they are not beside the tag.
    pub(crate) content: Option<LitStr>,
}

impl SerdeNames {
    /// Reads the attributes; what does not concern names is passed over, but what changes the schema of a
    /// record in a way that a form does not know is refused.
    pub(crate) fn read(attributes: &[Attribute]) -> syn::Result<Self> {
        Self::read_of(attributes, false)
    }

    /// Reads the attributes of a field; one that is local is no part of the record, and so may be skipped.
    pub(crate) fn read_of(attributes: &[Attribute], is_local: bool) -> syn::Result<Self> {
        let mut names = SerdeNames::default();
        for attribute in attributes.iter().filter(|attribute| attribute.path().is_ident("serde")) {
            attribute.parse_nested_meta(|meta| {
                for (attribute, said) in [("tag", &mut names.tag), ("content", &mut names.content)] {
                    if meta.path.is_ident(attribute) {
                        *said = Some(meta.value()?.parse()?);
                        return Ok(());
                    }
                }
                let attributes = ["rename", "rename_all", "rename_all_fields"];
                if let Some(attribute) = attributes.into_iter().find(|name| meta.path.is_ident(name)) {
                    let mut given = None;
                    if meta.input.peek(Token![=]) {
                        given = Some(meta.value()?.parse::<LitStr>()?);
                    } else {
                        // `rename(serialize = "…", deserialize = "…")`: a form reads what it writes.
                        meta.parse_nested_meta(|side| {
                            let name = side.value()?.parse::<LitStr>()?;
                            if given.as_ref().is_some_and(|other| other.value() != name.value()) {
                                return Err(Error::new_spanned(
                                    &name,
                                    "a form has one name for a field, for reading and for writing",
                                ));
                            }
                            given = Some(name);
                            Ok(())
                        })?;
                    }
                    let Some(given) = given else { return Ok(()) };
                    match attribute {
                        "rename" => names.rename = Some(given.value()),
                        "rename_all" => names.rename_all = Some(Case::read(&given)?),
                        _ => names.rename_all_fields = Some(Case::read(&given)?),
                    }
                    return Ok(());
                }
                if meta.path.is_ident("untagged") {
                    return Err(meta.error(
                        "a form has to know which variant it holds: `#[serde(tag = \"kind\")]` says it in a field",
                    ));
                }
                for refused in ["flatten", "skip", "skip_serializing", "skip_deserializing"] {
                    if meta.path.is_ident(refused) && !(is_local && refused != "flatten") {
                        return Err(
                            meta.error(format!("a form cannot hold a field with `#[serde({refused})]`"))
                        );
                    }
                }
                // Anything else: skip its value.
                if meta.input.peek(Token![=]) {
                    meta.value()?.parse::<syn::Expr>()?;
                } else if meta.input.peek(syn::token::Paren) {
                    let _: proc_macro2::Group = meta.input.parse()?;
                }
                Ok(())
            })?;
        }
        Ok(names)
    }

    /// Refuses a struct that is to say its own name in a field, of which a form knows nothing.
    pub(crate) fn refuse_tag(&self) -> syn::Result<()> {
        match self.tag.as_ref().or(self.content.as_ref()) {
            Some(tag) => Err(Error::new_spanned(tag, "only an enum says in a field which variant it is")),
            None => Ok(()),
        }
    }

    /// The names of the fields of a variant of an enum with these names.
    pub(crate) fn fields_of(&self, variant: &SerdeNames) -> SerdeNames {
        SerdeNames { rename_all: variant.rename_all.or(self.rename_all_fields), ..SerdeNames::default() }
    }

    /// The name of a field of a struct with these names.
    pub(crate) fn field(&self, ident: &Ident, own: &SerdeNames) -> String {
        self.name(ident, own, |case, name| case.join(name.split('_').filter(|word| !word.is_empty())))
    }

    /// The name of a variant of an enum with these names.
    pub(crate) fn variant(&self, ident: &Ident, own: &SerdeNames) -> String {
        self.name(ident, own, |case, name| {
            let starts = name.char_indices().filter(|(_, letter)| letter.is_uppercase()).map(|(at, _)| at);
            let mut bounds: Vec<usize> = std::iter::once(0).chain(starts).chain([name.len()]).collect();
            bounds.dedup();
            case.join(bounds.windows(2).map(|word| &name[word[0]..word[1]]))
        })
    }

    /// The name of an event of an enum with these names: in snake case, if nothing else is said.
    pub(crate) fn event(&self, ident: &Ident, own: &SerdeNames) -> String {
        let rename_all = self.rename_all.or(Some(Case::Snake));
        let names = SerdeNames { rename_all, ..SerdeNames::default() };
        names.variant(ident, own)
    }

    fn name(&self, ident: &Ident, own: &SerdeNames, apply: impl Fn(Case, &str) -> String) -> String {
        let plain = ident.unraw().to_string();
        match (&own.rename, self.rename_all) {
            (Some(name), _) => name.clone(),
            (None, Some(case)) => apply(case, &plain),
            (None, None) => plain,
        }
    }
}

/// The cases of `rename_all`.
#[derive(Clone, Copy)]
enum Case {
    Lower,
    Upper,
    Pascal,
    Camel,
    Snake,
    ScreamingSnake,
    Kebab,
    ScreamingKebab,
}

/// The name of a method that leads to something of this name: `very_long` for `VeryLong`.
pub(crate) fn method_of(variant: &Ident) -> Ident {
    let snake = SerdeNames { rename_all: Some(Case::Snake), ..SerdeNames::default() };
    identifier(&snake.variant(variant, &SerdeNames::default()), variant.span())
}

/// The identifier that comes nearest to a name.
pub(crate) fn identifier(name: &str, span: proc_macro2::Span) -> Ident {
    let plain: String =
        name.chars().map(|letter| if letter.is_alphanumeric() { letter } else { '_' }).collect();
    let starts = plain.starts_with(|letter: char| letter.is_alphabetic() || letter == '_');
    let plain = if starts { plain } else { format!("_{plain}") };
    match plain.as_str() {
        "_" | "self" | "Self" | "super" | "crate" => Ident::new(&format!("{plain}_"), span),
        plain if syn::parse_str::<Ident>(plain).is_ok() => Ident::new(plain, span),
        plain => Ident::new_raw(plain, span),
    }
}

/// The name of the variant that is called this in files: `TooLong` for `too_long`.
pub(crate) fn variant_of(name: &str) -> String {
    Case::Pascal.join(name.split('_'))
}

impl Case {
    fn read(text: &LitStr) -> syn::Result<Self> {
        Ok(match text.value().as_str() {
            "lowercase" => Case::Lower,
            "UPPERCASE" => Case::Upper,
            "PascalCase" => Case::Pascal,
            "camelCase" => Case::Camel,
            "snake_case" => Case::Snake,
            "SCREAMING_SNAKE_CASE" => Case::ScreamingSnake,
            "kebab-case" => Case::Kebab,
            "SCREAMING-KEBAB-CASE" => Case::ScreamingKebab,
            _ => return Err(Error::new_spanned(text, "not a case that `serde` knows")),
        })
    }

    fn join<'a>(self, words: impl Iterator<Item = &'a str>) -> String {
        let capitalized = |word: &str| {
            let mut letters = word.chars();
            let first = letters.next().map(|letter| letter.to_ascii_uppercase());
            first.into_iter().chain(letters).collect::<String>()
        };
        let words: Vec<&str> = words.collect();
        let lower = |separator: &str| words.join(separator).to_ascii_lowercase();
        let upper = |separator: &str| words.join(separator).to_ascii_uppercase();
        match self {
            Case::Lower => lower(""),
            Case::Upper => upper(""),
            Case::Snake => lower("_"),
            Case::ScreamingSnake => upper("_"),
            Case::Kebab => lower("-"),
            Case::ScreamingKebab => upper("-"),
            Case::Pascal => words.iter().map(|word| capitalized(word)).collect(),
            Case::Camel => {
                let pascal: String = words.iter().map(|word| capitalized(word)).collect();
                let mut letters = pascal.chars();
                let first = letters.next().map(|letter| letter.to_ascii_lowercase());
                first.into_iter().chain(letters).collect()
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use quote::format_ident;
    use syn::parse_quote;

    use super::*;

    fn all(case: &str) -> SerdeNames {
        SerdeNames::read(&[parse_quote!(#[serde(rename_all = #case)])]).unwrap()
    }

    #[test]
    fn fields_and_variants_are_named_as_serde_names_them() {
        let expected = [
            ("snake_case", "grams_a_loaf", "very_long"),
            ("camelCase", "gramsALoaf", "veryLong"),
            ("PascalCase", "GramsALoaf", "VeryLong"),
            ("SCREAMING_SNAKE_CASE", "GRAMS_A_LOAF", "VERY_LONG"),
            ("kebab-case", "grams-a-loaf", "very-long"),
            ("SCREAMING-KEBAB-CASE", "GRAMS-A-LOAF", "VERY-LONG"),
        ];
        let none = SerdeNames::default();
        for (case, field, variant) in expected {
            assert_eq!(all(case).field(&format_ident!("grams_a_loaf"), &none), field);
            assert_eq!(all(case).variant(&format_ident!("VeryLong"), &none), variant);
        }
        assert_eq!(all("lowercase").variant(&format_ident!("VeryLong"), &none), "verylong");
        assert_eq!(none.field(&format_ident!("r#type"), &none), "type");
        let own = SerdeNames::read(&[parse_quote!(#[serde(rename = "own", default)])]).unwrap();
        assert_eq!(all("camelCase").field(&format_ident!("grams_a_loaf"), &own), "own");
    }

    #[test]
    fn what_a_form_cannot_hold_is_refused() {
        assert!(SerdeNames::read(&[parse_quote!(#[serde(flatten)])]).is_err());
        assert!(SerdeNames::read(&[parse_quote!(#[serde(rename_all = "Camel")])]).is_err());
        assert!(
            SerdeNames::read(&[parse_quote!(#[serde(rename(serialize = "a", deserialize = "b"))])]).is_err()
        );
    }
}
