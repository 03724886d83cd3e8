//! References to definitions in the same document: JSON Pointers as fragments of URIs (RFC 6901, section 6).

use std::fmt::Write;

use crate::schema::Pointer;

/// The reference to a definition: `#/$defs/Oven`.
pub(super) fn to_definition(name: &str) -> String {
    format!("#{}", percent_encoded(Pointer::root().join("$defs").join(name).as_str()))
}

/// The pointer of a reference; `None` if it does not refer to something in the same document.
pub(super) fn read(reference: &str) -> Option<Pointer> {
    percent_decoded(reference.strip_prefix('#')?)?.parse().ok()
}

/// A text as a fragment, in which other characters than those of RFC 3986, section 3.5, are encoded.
pub(super) fn percent_encoded(text: &str) -> String {
    let mut fragment = String::with_capacity(text.len());
    for byte in text.bytes() {
        if byte.is_ascii_alphanumeric() || b"-._~!$&'()*+,;=:@/?".contains(&byte) {
            fragment.push(char::from(byte));
        } else {
            // Writing to a string does not fail.
            let _ = write!(fragment, "%{byte:02X}");
        }
    }
    fragment
}

/// A fragment with its percent-encoded characters decoded (RFC 3986, section 2.1).
fn percent_decoded(fragment: &str) -> Option<String> {
    let mut parts = fragment.split('%');
    let mut bytes = parts.next().unwrap_or_default().as_bytes().to_vec();
    for part in parts {
        let (encoded, rest) = part.split_at_checked(2)?;
        bytes.push(u8::from_str_radix(encoded, 16).ok().filter(|_| !encoded.starts_with('+'))?);
        bytes.extend_from_slice(rest.as_bytes());
    }
    String::from_utf8(bytes).ok()
}
