//! Takes a text as the date pattern of a field, and as the template of its messages.
#![no_main]

use libfuzzer_sys::fuzz_target;
use ricordo::{Form, Value};

fuzz_target!(|text: &str| {
    let quoted = Value::from(text).to_string();
    let definition = format!(
        r#"{{"type": "object", "required": ["day"], "properties": {{
            "day": {{"type": "string", "format": "date", "x-ricordo": {{"display": {{"pattern": {quoted}}}, "minimum": "2026-11-01",
                "messages": {{"value_missing": {quoted}, "range_underflow": {quoted}}}}}}},
            "name": {{"type": "string", "maxLength": 3, "x-ricordo": {{"messages": {{"too_long": {quoted}}},
                "constraint": [{{"test": "name != \"x\"", "message": {quoted}}}]}}}}
        }}}}"#
    );
    let Ok(form) = Form::from_definition(&definition, None) else { return };
    for (at, entry) in
        [("/name", "much too long"), ("/name", "x"), ("/day", text), ("/day", "2026-10-01"), ("/day", ""), ("/day", "2026-11-28")]
    {
        form.enter(at, entry).expect("a field takes any text");
        form.findings().iter().for_each(|finding| drop(finding.message.clone()));
    }
    form.set("/day", Value::Date("2026-11-28".parse().expect("a date"))).expect("a field");
    let place = form.place("/day").expect("a field");
    let (shown, value) = (place.entry(), place.value());
    form.enter("/day", shown.clone()).expect("a field");
    if !place.value().is_empty() {
        assert_eq!(place.value(), value, "what is shown for editing is read as the same: {shown}");
    }
});
