//! Email addresses, as the HTML Living Standard has them.

/// Returns whether a text is a *valid email address* (HTML Living Standard, section 4.10.5.1.5): a local part
/// of the characters that need no quoting, and a domain of labels of up to 63 letters, digits and inner
/// hyphens.
pub(super) fn is_valid(text: &str) -> bool {
    let Some((local, domain)) = text.split_once('@') else { return false };
    let is_local = |byte: u8| byte.is_ascii_alphanumeric() || b".!#$%&'*+/=?^_`{|}~-".contains(&byte);
    !local.is_empty() && local.bytes().all(is_local) && domain.split('.').all(is_label)
}

fn is_label(label: &str) -> bool {
    const LONGEST: usize = 63;
    (1..=LONGEST).contains(&label.len())
        && label.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-')
        && !label.starts_with('-')
        && !label.ends_with('-')
}

#[cfg(test)]
mod tests {
    use super::is_valid;

    #[test]
    fn follows_the_production_of_the_html_standard() {
        let longest_label = "a".repeat(63);
        for valid in [
            "rosa@mill.example",
            "a@b",
            "r.o+s=a!#$%&'*/?^_`{|}~-@1.2",
            ".dots.@x-y.example",
            &format!("a@{longest_label}.example"),
        ] {
            assert!(is_valid(valid), "{valid}");
        }
        for invalid in [
            "",
            "rosa",
            "@mill.example",
            "rosa@",
            "rosa@mill@example",
            "rosa@-mill.example",
            "rosa@mill-.example",
            "rosa@mill..example",
            "rosa@mill.example.",
            "ro sa@mill.example",
            "rosé@mill.example",
            "\"rosa\"@mill.example",
            &format!("a@{longest_label}a.example"),
        ] {
            assert!(!is_valid(invalid), "{invalid}");
        }
    }
}
