//! Controls of every kind: what they show, and what a person does with them.

use serde_json::json;

use crate::browser::{Browser, Done, TAB};

crate::tests!(typing_reaches_the_form);

async fn typing_reaches_the_form(page: &Browser) -> Done {
    let definition = json!({
        "type": "object",
        "properties": {
            "name": {"type": "string", "minLength": 3},
            "loaves": {"type": "integer", "maximum": 500},
        },
    });
    let html = r#"<form><input name="/name"><input name="/loaves"><p data-findings-of="/loaves"></p></form>"#;
    let mistakes = page.show(html, definition, json!({"name": "Rye", "loaves": 12})).await?;
    assert_eq!(mistakes, [""; 0]);
    assert_eq!(
        (page.value("[name='/name']").await?, page.value("[name='/loaves']").await?),
        ("Rye".into(), "12".into())
    );
    page.retype("[name='/loaves']", "900").await?;
    assert_eq!(page.eval("form.value('/loaves')").await?, json!(900));
    assert_eq!(page.text("p").await?, "");
    page.keys(TAB).await?;
    assert_eq!(page.text("p").await?, "Must be at most 500.");
    assert_eq!(
        page.eval("document.querySelector(\"[name='/loaves']\").matches(':invalid')").await?,
        json!(true)
    );
    Ok(())
}
