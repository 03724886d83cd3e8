//! A headless Chromium, and what a person does in it.

use std::io::{BufRead, BufReader};
use std::path::PathBuf;
use std::process::{Child, Command, Stdio};
use std::time::Duration;

use fantoccini::actions::{InputSource, KeyAction, KeyActions};
use fantoccini::elements::Element;
use fantoccini::error::CmdError;
use fantoccini::wd::{Capabilities, WebDriverCompatibleCommand};
use fantoccini::{Client, ClientBuilder, Locator};
use hyper_util::client::legacy::connect::HttpConnector;
use serde_json::{Value, json};
use tempfile::TempDir;

pub(crate) type Done = Result<(), Box<dyn std::error::Error>>;

/// The longest wait for something to happen.
const PATIENCE: Duration = Duration::from_secs(10);

/// Chromium's driver, which ends with everything that it has started.
#[derive(Debug)]
pub(crate) struct Driver {
    process: Child,
    pub(crate) address: String,
    _profile: TempDir,
    profile: PathBuf,
}

impl Driver {
    pub(crate) fn start() -> Result<Self, Box<dyn std::error::Error>> {
        let profile = tempfile::tempdir()?;
        // A group of its own: what the driver starts is in it.
        let mut command = Command::new("setsid");
        command.args(["--wait", "chromedriver", "--port=0"]).stdout(Stdio::piped()).stderr(Stdio::null());
        let mut process = command.spawn()?;
        let mut lines = BufReader::new(process.stdout.take().ok_or("no output")?).lines();
        let port = loop {
            let line = lines.next().ok_or("the driver has ended")??;
            let number =
                line.split("on port ").nth(1).and_then(|rest| rest.trim_end_matches('.').parse::<u16>().ok());
            if let Some(number) = number.filter(|number| *number != 0) {
                break number;
            }
        };
        // Its later output must not block it.
        std::thread::spawn(move || lines.for_each(drop));
        let path = profile.path().to_owned();
        Ok(Driver { process, address: format!("http://127.0.0.1:{port}"), _profile: profile, profile: path })
    }

    pub(crate) async fn browser(&self, site: &str) -> Result<Browser, Box<dyn std::error::Error>> {
        let options = json!({
            "goog:chromeOptions": {
                "args": [
                    "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--window-size=1280,943",
                    "--disable-background-networking", "--disable-component-update", "--disable-sync", "--disable-dev-shm-usage", "--js-flags=--expose-gc",
                    format!("--user-data-dir={}", self.profile.display()),
                ],
            },
            "unhandledPromptBehavior": "ignore",
        });
        let Value::Object(options) = options else { return Err("no options".into()) };
        let options: Capabilities = options.into_iter().collect();
        let client =
            ClientBuilder::new(HttpConnector::new()).capabilities(options).connect(&self.address).await?;
        Ok(Browser { client, site: site.to_owned() })
    }
}

impl Drop for Driver {
    fn drop(&mut self) {
        let group = format!("-{}", self.process.id());
        drop(Command::new("kill").args(["--", &group]).stderr(Stdio::null()).status());
        drop(self.process.wait());
    }
}

/// A window of the browser.
#[derive(Debug)]
pub(crate) struct Browser {
    pub(crate) client: Client,
    pub(crate) site: String,
}

/// A command of Chromium's own protocol, as for what an input method does.
#[derive(Debug)]
struct Chromium {
    command: &'static str,
    parameters: Value,
}

impl WebDriverCompatibleCommand for Chromium {
    fn endpoint(&self, base: &url::Url, session: Option<&str>) -> Result<url::Url, url::ParseError> {
        base.join(&format!("session/{}/goog/cdp/execute", session.unwrap_or_default()))
    }

    fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
        let body = json!({"cmd": self.command, "params": self.parameters});
        (http::Method::POST, Some(body.to_string()))
    }
}

impl Browser {
    /// Goes to a page of the site, and waits until that is ready.
    pub(crate) async fn open(&self, path: &str) -> Done {
        self.client.goto(&format!("{}/{path}", self.site)).await?;
        self.ready().await
    }

    pub(crate) async fn ready(&self) -> Done {
        self.until(
            "document.body?.dataset.ready !== undefined || document.body?.dataset.error !== undefined",
        )
        .await?;
        match self.js("return document.body.dataset.error ?? null").await? {
            Value::Null => Ok(()),
            error => Err(format!("the page says: {error}").into()),
        }
    }

    /// Opens the page for tests, without anything stored, and shows a form in it.
    pub(crate) async fn show(
        &self,
        html: &str,
        definition: Value,
        data: Value,
    ) -> Result<Vec<String>, Box<dyn std::error::Error>> {
        self.show_with(html, definition, data, "{}", "{}").await
    }

    /// The same with options, as JavaScript.
    pub(crate) async fn show_with(
        &self,
        html: &str,
        definition: Value,
        data: Value,
        options: &str,
        binding: &str,
    ) -> Result<Vec<String>, Box<dyn std::error::Error>> {
        self.open("tests/blank.html").await?;
        self.js("sessionStorage.clear(); localStorage.clear(); window.onbeforeunload = null").await?;
        self.show_again(html, definition, data, options, binding).await
    }

    /// The same in the page that is open.
    pub(crate) async fn show_again(
        &self,
        html: &str,
        definition: Value,
        data: Value,
        options: &str,
        binding: &str,
    ) -> Result<Vec<String>, Box<dyn std::error::Error>> {
        let script = format!("return show(arguments[0], arguments[1], arguments[2], {options}, {binding})");
        let shown = self.client.execute(&script, vec![html.into(), definition, data]).await?;
        Ok(serde_json::from_value(shown)?)
    }

    /// Runs a script.
    pub(crate) async fn js(&self, script: &str) -> Result<Value, CmdError> {
        self.client.execute(script, Vec::new()).await
    }

    /// The value of an expression in the page.
    pub(crate) async fn eval(&self, expression: &str) -> Result<Value, CmdError> {
        self.js(&format!("return {expression}")).await
    }

    /// Waits until an expression is true in the page.
    pub(crate) async fn until(&self, expression: &str) -> Done {
        let begun = std::time::Instant::now();
        while self.eval(&format!("Boolean({expression})")).await? != Value::Bool(true) {
            if begun.elapsed() > PATIENCE {
                return Err(format!("it never happened: {expression}").into());
            }
            tokio::time::sleep(Duration::from_millis(20)).await;
        }
        Ok(())
    }

    pub(crate) async fn find(&self, selector: &str) -> Result<Element, CmdError> {
        self.client.find(Locator::Css(selector)).await
    }

    pub(crate) async fn click(&self, selector: &str) -> Done {
        self.find(selector).await?.click().await?;
        Ok(())
    }

    /// Clicks into a control and types.
    pub(crate) async fn type_in(&self, selector: &str, text: &str) -> Done {
        self.find(selector).await?.send_keys(text).await?;
        Ok(())
    }

    /// Replaces what stands in a control, by keyboard.
    pub(crate) async fn retype(&self, selector: &str, text: &str) -> Done {
        self.click(selector).await?;
        self.chord(CONTROL, 'a').await?;
        self.keys(text).await
    }

    /// Types where the focus is.
    pub(crate) async fn keys(&self, text: &str) -> Done {
        let mut keys = KeyActions::new("keyboard".to_owned());
        for value in text.chars() {
            keys = keys.then(KeyAction::Down { value }).then(KeyAction::Up { value });
        }
        self.client.perform_actions(keys).await?;
        Ok(())
    }

    /// Presses a key together with another.
    pub(crate) async fn chord(&self, with: char, value: char) -> Done {
        let keys = KeyActions::new("keyboard".to_owned())
            .then(KeyAction::Down { value: with })
            .then(KeyAction::Down { value })
            .then(KeyAction::Up { value })
            .then(KeyAction::Up { value: with });
        self.client.perform_actions(keys).await?;
        Ok(())
    }

    /// Does what an input method does: a text is composed where the focus is, and not committed.
    pub(crate) async fn compose(&self, text: &str) -> Done {
        let at = text.encode_utf16().count();
        let parameters = json!({"text": text, "selectionStart": at, "selectionEnd": at});
        self.client.issue_cmd(Chromium { command: "Input.imeSetComposition", parameters }).await?;
        Ok(())
    }

    /// Commits what an input method has composed, or inserts a text in one piece.
    pub(crate) async fn insert(&self, text: &str) -> Done {
        self.client
            .issue_cmd(Chromium { command: "Input.insertText", parameters: json!({"text": text}) })
            .await?;
        Ok(())
    }

    /// The size of the page, as seen.
    pub(crate) async fn resize(&self, width: u32, height: u32) -> Done {
        let parameters = json!({"width": width, "height": height, "deviceScaleFactor": 1, "mobile": false});
        self.client.issue_cmd(Chromium { command: "Emulation.setDeviceMetricsOverride", parameters }).await?;
        Ok(())
    }

    /// Lets the page believe that a person prefers the light or the dark.
    pub(crate) async fn prefer(&self, scheme: &str) -> Done {
        let parameters = json!({"features": [{"name": "prefers-color-scheme", "value": scheme}]});
        self.client.issue_cmd(Chromium { command: "Emulation.setEmulatedMedia", parameters }).await?;
        Ok(())
    }

    /// The content of a control.
    pub(crate) async fn value(&self, selector: &str) -> Result<String, CmdError> {
        let value = self
            .client
            .execute("return document.querySelector(arguments[0]).value", vec![selector.into()])
            .await?;
        Ok(value.as_str().unwrap_or_default().to_owned())
    }

    /// The text of an element, also of one that is hidden.
    pub(crate) async fn text(&self, selector: &str) -> Result<String, CmdError> {
        let text = self
            .client
            .execute("return document.querySelector(arguments[0]).textContent", vec![selector.into()])
            .await?;
        Ok(text.as_str().unwrap_or_default().to_owned())
    }

    /// The id or name of the focused element.
    pub(crate) async fn focused(&self) -> Result<String, CmdError> {
        let script = "const at = document.activeElement; return at.id || at.getAttribute('name') || at.tagName.toLowerCase()";
        Ok(self.js(script).await?.as_str().unwrap_or_default().to_owned())
    }

    /// The messages in the console.
    pub(crate) async fn logged(&self) -> Result<Vec<String>, Box<dyn std::error::Error>> {
        Ok(serde_json::from_value(self.eval("logged").await?)?)
    }
}

pub(crate) const CONTROL: char = '\u{e009}';
pub(crate) const SHIFT: char = '\u{e008}';
pub(crate) const TAB: &str = "\u{e004}";
pub(crate) const ENTER: &str = "\u{e007}";
pub(crate) const END: &str = "\u{e010}";
pub(crate) const HOME: &str = "\u{e011}";
pub(crate) const BACKSPACE: &str = "\u{e003}";
