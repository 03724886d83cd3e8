//! The library's constraints beside the browser's own: the same attributes, the same text, the same verdict.

use serde_json::{Value, json};

use crate::browser::{Browser, Done};

crate::tests!(the_library_and_the_browser_come_to_the_same_verdict);

/// Inputs, each with texts that are entered there.
const TABLE: &[(&str, &str, &[&str])] = &[
    ("text", "{}", &["", " ", "a", "😀"]),
    ("text", r#"{"required": true}"#, &["", " ", "a", "\t"]),
    ("text", r#"{"minlength": 3}"#, &["", "a", "ab", "abc", "abcd", "   "]),
    ("text", r#"{"maxlength": 3}"#, &["", "abc", "abcd", "äöü", "äöüß"]),
    ("text", r#"{"minlength": 2, "maxlength": 2}"#, &["a", "ab", "abc", "😀", "😀😀"]),
    ("text", r#"{"pattern": "[a-z]+"}"#, &["", "abc", "Abc", "ab1", "1", "a b"]),
    ("text", r#"{"pattern": "a|bc"}"#, &["a", "bc", "ac", "abc"]),
    ("text", r#"{"pattern": "[A-Z]{2}-\\d{3}"}"#, &["AB-123", "AB-12", "AB-1234", "ab-123", " AB-123"]),
    ("text", r#"{"pattern": ".{2}"}"#, &["ab", "😀", "😀😀", "äö"]),
    ("text", r#"{"required": true, "minlength": 3, "pattern": "[a-z]+"}"#, &["", "a", "A", "abc", "ABC"]),
    ("search", r#"{"required": true, "maxlength": 4}"#, &["", "rye", "wheat"]),
    ("tel", r#"{"pattern": "\\+?[0-9 ]+"}"#, &["+49 30 1234", "030-1234", ""]),
    ("password", r#"{"required": true, "minlength": 8}"#, &["", "hunter2", "hunter22"]),
    ("textarea", r#"{"required": true, "maxlength": 5}"#, &["", "a\nb", "a\nb\nc", "abcdef"]),
    (
        "email",
        "{}",
        &[
            "",
            "a@b",
            "a@b.example",
            "a.b@c.example",
            "a@b@c",
            "@b",
            "a@",
            "a",
            "a b@c",
            "a@b c",
            "a@-b",
            "a@b-",
            "a@b-c.d",
            "a..b@c",
            ".a@b",
            "a@b..c",
            "ä@b.example",
            "a@[127.0.0.1]",
            "a+b@c.example",
            "a!#$%&'*/=?^_`{|}~@b",
            "a@b_c",
            "\"a\"@b",
            "a@b.",
            "a@0",
            "a@63charlabel63charlabel63charlabel63charlabel63charlabel63charlabel.b",
            "a,b@c",
        ],
    ),
    ("email", r#"{"required": true, "maxlength": 8}"#, &["", "a@b.cd", "abc@def.gh"]),
    (
        "url",
        "{}",
        &[
            "",
            "https://example.org",
            "http://example.org:8080/a?b=c#d",
            "example.org",
            "//example.org",
            "mailto:a@b",
            "a:",
            "a:b",
            "https://",
            "http:///a",
            "https://exa mple.org",
            "javascript:1",
            "data:,",
            "1a:b",
            "-a:b",
            "https://[::1]/",
            "https://[::1/",
            "https://256.1.1.1",
            "https://example.org/ä",
            "file:///a",
            "https://a:b@c.d",
            "https://a:99999",
            ":a",
        ],
    ),
    ("number", "{}", &["", "0", "-0", "12", "-1.5", "1e3", "1E-3", ".5", "007", "0.1", "123456789012345"]),
    ("number", r#"{"required": true}"#, &["", "0"]),
    ("number", r#"{"min": 1}"#, &["0", "1", "2", "-1", "1.5", "0.5"]),
    ("number", r#"{"max": 10}"#, &["9", "10", "11", "10.5", "-100"]),
    ("number", r#"{"min": 1, "max": 10, "step": 1}"#, &["0", "1", "10", "11", "1.5", "0.5", "10.5"]),
    ("number", r#"{"step": 0.05}"#, &["0.05", "0.07", "6.5", "6.51", "-0.05", "-0.06", "0.1", "0.15", "0.3"]),
    ("number", r#"{"step": 3}"#, &["0", "3", "4", "-3", "-4", "9", "10"]),
    ("number", r#"{"min": 2, "step": 3}"#, &["2", "3", "5", "8", "9", "-1", "-2"]),
    (
        "number",
        r#"{"min": -1.5, "max": 1.5, "step": 0.5}"#,
        &["-2", "-1.5", "-1.25", "0", "1.5", "1.75", "2"],
    ),
    ("range", r#"{"min": 0, "max": 100, "step": 1}"#, &["0", "50", "100"]),
    ("date", "{}", &["", "2026-11-28", "2024-02-29", "0001-01-01", "9999-12-31"]),
    ("date", r#"{"required": true}"#, &["", "2026-11-28"]),
    (
        "date",
        r#"{"min": "2026-01-01", "max": "2026-12-31"}"#,
        &["2025-12-31", "2026-01-01", "2026-12-31", "2027-01-01"],
    ),
    (
        "date",
        r#"{"step": 7}"#,
        &["1970-01-01", "1970-01-08", "1970-01-09", "2026-11-26", "2026-11-27", "1969-12-25"],
    ),
    (
        "date",
        r#"{"min": "2026-11-02", "step": 2}"#,
        &["2026-11-02", "2026-11-03", "2026-11-04", "2026-11-01"],
    ),
    ("time", "{}", &["", "00:00", "23:59", "12:30:15"]),
    (
        "time",
        r#"{"required": true, "min": "08:00", "max": "18:00"}"#,
        &["", "07:59", "08:00", "18:00", "18:01"],
    ),
    ("time", r#"{"step": 900}"#, &["08:00", "08:15", "08:16", "08:15:01"]),
    ("time", r#"{"min": "22:00", "max": "06:00"}"#, &["21:59", "22:00", "23:00", "06:00", "06:01", "12:00"]),
    ("datetime-local", "{}", &["", "2026-11-28T09:15", "2026-11-28T09:15:30"]),
    ("datetime-local", r#"{"required": true}"#, &["", "2026-11-28T09:15"]),
    (
        "datetime-local",
        r#"{"min": "2026-01-01T00:00", "max": "2026-12-31T23:59"}"#,
        &["2025-12-31T23:59", "2026-01-01T00:00", "2026-12-31T23:59", "2027-01-01T00:00"],
    ),
    ("datetime-local", r#"{"step": 3600}"#, &["2026-11-28T09:00", "2026-11-28T09:15"]),
    ("checkbox", "{}", &["false", "true"]),
    ("checkbox", r#"{"required": true}"#, &["false", "true"]),
    ("select", r#"{"required": true}"#, &["", "a", "b"]),
    ("select", "{}", &["", "a"]),
];

/// The different verdicts: the input, the text, the library's verdict, the browser's, and the reason. Of
/// addresses, the standard asks for a *valid URL string* (WHATWG URL, section 4.3), and browsers accept
/// whatever their parser can mend.
const DIFFERENCES: &[(&str, &str, &str, &str, &str)] = &[
    (
        r#"text {"maxlength":2,"minlength":2}"#,
        "😀",
        "too_short",
        "",
        "JSON Schema counts code points, HTML UTF-16 code units",
    ),
    (
        r#"text {"maxlength":2,"minlength":2}"#,
        "😀😀",
        "",
        "too_long",
        "JSON Schema counts code points, HTML UTF-16 code units",
    ),
    (
        "url {}",
        "http:///a",
        "type_mismatch",
        "",
        "a valid URL string of this scheme has a host; the browser takes the path for one",
    ),
    ("url {}", "https://exa mple.org", "type_mismatch", "", "a host has no spaces; the browser escapes them"),
    (
        "url {}",
        "https://a:b@c.d",
        "type_mismatch",
        "",
        "a valid URL string has no credentials; the browser parses them",
    ),
];

/// The kinds that both know.
const KINDS: [(&str, &str); 9] = [
    ("value_missing", "valueMissing"),
    ("type_mismatch", "typeMismatch"),
    ("pattern_mismatch", "patternMismatch"),
    ("too_long", "tooLong"),
    ("too_short", "tooShort"),
    ("range_underflow", "rangeUnderflow"),
    ("range_overflow", "rangeOverflow"),
    ("step_mismatch", "stepMismatch"),
    ("bad_input", "badInput"),
];

/// The definition of a field with the constraints that an input has by its attributes.
fn definition(kind: &str, attributes: &Value) -> Value {
    let mut field = match kind {
        "number" | "range" => json!({"type": "number"}),
        "date" | "time" => json!({"type": "string", "format": kind}),
        "datetime-local" => json!({"type": "string", "format": "date-time"}),
        "checkbox" => json!({"type": "boolean"}),
        "select" => json!({"enum": ["a", "b"]}),
        "email" => json!({"type": "string", "format": "email"}),
        "url" => json!({"type": "string", "format": "url"}),
        _ => json!({"type": "string"}),
    };
    let is_time = matches!(kind, "date" | "time" | "datetime-local");
    let mut set = |name: &str, own: bool, value: Value| {
        if own {
            field["x-ricordo"][name] = value;
        } else {
            field[name] = value;
        }
    };
    for (name, value) in attributes.as_object().into_iter().flatten() {
        match name.as_str() {
            "minlength" => set("minLength", false, value.clone()),
            "maxlength" => set("maxLength", false, value.clone()),
            "pattern" => {
                set("pattern", false, json!(format!("^(?:{})$", value.as_str().unwrap_or_default())));
            }
            "min" => set("minimum", is_time, value.clone()),
            "max" => set("maximum", is_time, value.clone()),
            "step" => set("step", true, value.clone()),
            "required" if kind == "checkbox" => set("const", false, json!(true)),
            _ => {}
        }
    }
    let required = if attributes["required"] == json!(true) { json!(["it"]) } else { json!([]) };
    json!({"type": "object", "properties": {"it": field}, "required": required})
}

/// Makes the input, and enters what a person does not type. Lengths count only in what a person has typed, and a length that is
/// given before keeps a person from typing more: so other texts are typed, and the attributes come after.
const MAKE: &str = "
    const [kind, attributes, text] = arguments;
    const main = document.querySelector('main');
    main.innerHTML = '';
    const input = document.createElement(kind === 'textarea' || kind === 'select' ? kind : 'input');
    if (input.tagName === 'INPUT') input.type = kind;
    if (kind === 'select') for (const value of ['', 'a', 'b']) input.append(new Option(value, value));
    // Without a step, the browser takes fractions and seconds for wrong.
    if (!('step' in attributes)) input.step = 'any';
    main.append(input);
    input.focus();
    if (kind === 'checkbox') {
        input.checked = text === 'true';
        return false;
    }
    if (['number', 'range', 'date', 'time', 'datetime-local', 'select'].includes(kind)) {
        input.value = text;
        return false;
    }
    return text !== '';
";

/// Gives what the browser says, and what the library says.
const BOTH: &str = "
    const [kind, attributes, definition, text] = arguments;
    const input = document.querySelector('main').firstElementChild;
    for (const [name, value] of Object.entries(attributes)) input.setAttribute(name, value === true ? '' : value);
    const said = [];
    for (const name in input.validity) {
        if (input.validity[name] === true && name !== 'valid' && name !== 'customError') said.push(name);
    }
    const form = new Form(definition);
    // The entry is the control's content: some inputs strip white space.
    form.enter('/it', kind === 'checkbox' ? text : input.value);
    return [said, form.findings().map((finding) => finding.kind)];
";

async fn the_library_and_the_browser_come_to_the_same_verdict(page: &Browser) -> Done {
    page.open("tests/blank.html").await?;
    let (mut entries, mut differing, mut found_differences) = (0, Vec::new(), Vec::new());
    for (kind, attributes, texts) in TABLE {
        let attributes: Value = serde_json::from_str(attributes)?;
        for text in *texts {
            let types = page.client.execute(MAKE, vec![json!(kind), attributes.clone(), json!(text)]).await?;
            if types == json!(true) {
                page.insert(text).await?;
            }
            let given = vec![json!(kind), attributes.clone(), definition(kind, &attributes), json!(text)];
            let verdicts = page
                .client
                .execute(BOTH, given)
                .await
                .map_err(|error| format!("{kind} {attributes}, “{text}”: {error}"))?;
            let (browser, library): (Vec<String>, Vec<String>) =
                (serde_json::from_value(verdicts[0].clone())?, serde_json::from_value(verdicts[1].clone())?);
            let in_words = |name: &String| {
                KINDS.iter().find(|(_, platform)| platform == name).map(|(kind, _)| (*kind).to_owned())
            };
            let mut browser: Vec<String> = browser.iter().filter_map(in_words).collect();
            let mut library = library;
            browser.sort();
            library.sort();
            entries += 1;
            if browser == library {
                continue;
            }
            let (library, browser) = (library.join(" "), browser.join(" "));
            let input = format!("{kind} {attributes}");
            let is_known = DIFFERENCES.iter().any(|(known, entered, ours, theirs, _)| {
                *known == input && entered == text && *ours == library && *theirs == browser
            });
            if is_known {
                found_differences.push((input, *text));
            } else {
                differing.push(format!("({input:?}, {text:?}, {library:?}, {browser:?}, \"\"),"));
            }
        }
    }
    assert!(entries >= 200, "{entries} entries");
    assert!(differing.is_empty(), "of {entries}, these differ:\n{}", differing.join("\n"));
    assert_eq!(found_differences.len(), DIFFERENCES.len(), "a difference that is listed is none any more");
    Ok(())
}
