//! The page of `report --as html`, opened in a browser without a window.
//!
//! Debian's packages `chromium` and `chromium-driver` are enough. Where they are missing the test says so and passes, except where
//! `EMENDO_TEST_BROWSER` is `must`. The driver is spoken to as the W3C's WebDriver standard says.

use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use serde_json::{Value, json};
use testkit::Sandbox;

/// A browser with one window.
struct Browser {
    driver: Child,
    port: u16,
    session: String,
    /// Its profile goes with it.
    _profile: tempfile::TempDir,
}

impl Browser {
    /// Starts one; none if there is none.
    fn start() -> Option<Self> {
        let must = std::env::var("EMENDO_TEST_BROWSER").is_ok_and(|v| v == "must");
        let driver = Command::new("chromedriver")
            .arg("--port=0")
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn();
        let mut driver = match driver {
            Ok(driver) => driver,
            Err(e) => {
                assert!(!must, "chromedriver cannot be started: {e}");
                let why = "skipped: there is no chromedriver (Debian: chromium, chromium-driver)\n";
                std::io::stderr().write_all(why.as_bytes()).expect("is said");
                return None;
            }
        };
        let mut said = BufReader::new(driver.stdout.take().expect("is piped")).lines();
        let port = said.find_map(|line| {
            let line = line.ok()?;
            let at = line.split_once("successfully on port ")?.1;
            at.trim_end_matches('.').parse().ok()
        });
        let profile = tempfile::tempdir().expect("a folder");
        let mut out =
            Self { driver, port: port.expect("a port"), session: String::new(), _profile: profile };
        let folder = format!("--user-data-dir={}", out._profile.path().display());
        let args = [
            "--headless",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--hide-scrollbars",
            &folder,
        ];
        let wants = json!({ "capabilities": { "alwaysMatch": {
            "goog:chromeOptions": { "args": args }, "goog:loggingPrefs": { "browser": "ALL" },
        } } });
        let session = out.ask("POST", "/session", &wants);
        out.session = format!("/session/{}", session["sessionId"].as_str().expect("a session"));
        out.size(1280, 800);
        Some(out)
    }

    /// One question to the driver, over a connection of its own.
    fn ask(&self, method: &str, path: &str, body: &Value) -> Value {
        let body = if method == "GET" { String::new() } else { body.to_string() };
        let mut stream = TcpStream::connect(("127.0.0.1", self.port)).expect("connects");
        let length = body.len();
        write!(
            stream,
            "{method} {path} HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\nContent-Type: application/json\r\nContent-Length: {length}\r\n\r\n{body}"
        )
        .expect("is sent");
        let (head, body) = answer(&mut stream).expect("is read");
        let value: Value = serde_json::from_str(&body).unwrap_or_default();
        assert!(head.contains(" 200 "), "{method} {path}: {head}{body}");
        value["value"].clone()
    }

    fn here(&self, path: &str) -> String {
        format!("{}{path}", self.session)
    }

    fn open(&self, file: &Path) {
        let url = json!({ "url": format!("file://{}", file.display()) });
        self.ask("POST", &self.here("/url"), &url);
    }

    fn script(&self, script: &str) -> Value {
        let body = json!({ "script": script, "args": [] });
        self.ask("POST", &self.here("/execute/sync"), &body)
    }

    fn keys(&self, keys: &str) {
        let press = |c: char| {
            [json!({ "type": "keyDown", "value": c }), json!({ "type": "keyUp", "value": c })]
        };
        let all: Vec<Value> = keys.chars().flat_map(press).collect();
        let body = json!({ "actions": [{ "type": "key", "id": "keys", "actions": all }] });
        self.ask("POST", &self.here("/actions"), &body);
    }

    fn click(&self, selector: &str) {
        self.script(&format!("document.querySelector('{selector}').click()"));
    }

    /// The size of what is shown.
    fn size(&self, width: u32, height: u32) {
        let body = json!({ "cmd": "Emulation.setDeviceMetricsOverride",
            "params": { "width": width, "height": height, "deviceScaleFactor": 1, "mobile": false } });
        self.ask("POST", &self.here("/goog/cdp/execute"), &body);
    }

    /// Waits until a script gives this.
    fn until(&self, script: &str, expected: &Value) {
        let end = Instant::now() + Duration::from_secs(20);
        loop {
            let now = self.script(&format!("return {script}"));
            if now == *expected {
                return;
            }
            assert!(Instant::now() < end, "{script} is {now}, not {expected}");
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    /// Takes what is shown as a picture of the pages, where those are to be written anew.
    fn picture(&self, name: &str) {
        if !std::env::var("EMENDO_GOLDEN").is_ok_and(|v| v == "write") {
            return;
        }
        let shot = self.ask("GET", &self.here("/screenshot"), &json!({}));
        let path = testkit::workspace().join("docs/screenshots").join(name);
        std::fs::write(path, bytes_of(shot.as_str().expect("a picture"))).expect("writable");
    }

    /// What the browser complains of.
    fn complaints(&self) -> Value {
        self.ask("POST", &self.here("/se/log"), &json!({ "type": "browser" }))
    }
}

/// What a text in base64 stands for (RFC 4648).
fn bytes_of(text: &str) -> Vec<u8> {
    let value = |b: u8| match b {
        b'A'..=b'Z' => b - b'A',
        b'a'..=b'z' => b - b'a' + 26,
        b'0'..=b'9' => b - b'0' + 52,
        b'+' => 62,
        _ => 63,
    };
    let signs: Vec<u8> = text.bytes().filter(|b| *b != b'=').collect();
    let mut out = Vec::new();
    for four in signs.chunks(4) {
        let bits = four.iter().fold(0_u32, |n, b| n << 6 | u32::from(value(*b)));
        let bits = bits << (6 * (4 - four.len()));
        out.extend_from_slice(&bits.to_be_bytes()[1..four.len()]);
    }
    out
}

/// The head and the body of an answer; the connection may stay open behind it.
fn answer(stream: &mut TcpStream) -> std::io::Result<(String, String)> {
    stream.set_read_timeout(Some(Duration::from_secs(60)))?;
    let mut reader = BufReader::new(stream);
    let (mut head, mut length) = (String::new(), 0);
    loop {
        let mut line = String::new();
        if reader.read_line(&mut line)? == 0 || line.trim().is_empty() {
            break;
        }
        if let Some((name, value)) = line.split_once(':')
            && name.eq_ignore_ascii_case("content-length")
        {
            length = value.trim().parse().unwrap_or(0);
        }
        head.push_str(&line);
    }
    let mut body = vec![0; length];
    reader.read_exact(&mut body)?;
    Ok((head, String::from_utf8_lossy(&body).into_owned()))
}

impl Drop for Browser {
    fn drop(&mut self) {
        if let Ok(mut stream) = TcpStream::connect(("127.0.0.1", self.port)) {
            drop(write!(
                stream,
                "DELETE {} HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n\r\n",
                self.session
            ));
            drop(answer(&mut stream));
        }
        drop(self.driver.kill());
        drop(self.driver.wait());
    }
}

#[test]
fn the_page_filters_finds_folds_and_asks_for_nothing() {
    let Some(browser) = Browser::start() else { return };
    let s = Sandbox::new();
    s.run(&["demo", "--json", "sample"]).ok();
    let project = s.path("sample/project").display().to_string();
    let page = s.folder().join("page.html");
    s.run(&["-C", &project, "verify", "--", "sh", "-c", "! grep -rq Station.at board"]).code(4);
    s.run(&["-C", &project, "report", "--as", "html", "--out", &page.display().to_string()]).ok();
    browser.open(&page);
    let count = "document.getElementById('count').textContent";
    let files = "document.querySelectorAll('.file').length";
    browser.until(count, &json!("139 changes in 42 files"));
    assert_eq!(browser.script("return document.title"), "Tidewire 2 to 3");
    // Nothing is fetched, and nothing is complained of.
    assert_eq!(browser.script("return performance.getEntriesByType('resource').length"), 0);

    // Steps, certainty and state narrow down together; the overview makes room.
    browser.click("#by-step input[value=\"tidewire-3/open\"]");
    browser.until(count, &json!("21 changes in 17 files fit the filters"));
    browser.click("#by-state input[value=\"undecided\"]");
    browser.until(count, &json!("1 change in 1 file fit the filters"));
    assert_eq!(browser.script("return document.getElementById('overview').hidden"), true);
    browser.click("#clear");
    browser.until(count, &json!("139 changes in 42 files"));

    // A word is found in lines, paths, and facts; what is found is framed.
    browser.keys("/TideTable");
    browser.until("document.getElementById('find').value", &json!("TideTable"));
    browser.until(&format!("{files} < 6 && {files} > 0"), &json!(true));
    browser.until("document.querySelectorAll('.found').length > 0", &json!(true));
    browser.keys("\u{e00c}\u{e00c}");
    browser.until(count, &json!("139 changes in 42 files"));
    browser.keys("/nothing of that kind");
    browser.until("document.getElementById('none').hidden", &json!(false));
    browser.keys("\u{e00c}\u{e00c}");

    // Keys go from change to change, open the facts, and fold the file.
    browser.keys("n");
    browser.until("document.querySelectorAll('.heading.now').length", &json!(1));
    let first = browser.script("return document.querySelector('.heading.now').textContent");
    browser.keys("ny");
    browser.until("document.querySelector('.heading.now details').open", &json!(true));
    assert_ne!(first, browser.script("return document.querySelector('.heading.now').textContent"));
    browser.keys("p");
    browser.until("document.querySelector('.heading.now').textContent", &first);
    browser.keys("-");
    browser.until("document.querySelectorAll('.file.folded').length", &json!(1));
    assert_eq!(
        browser.script("return document.querySelector('.file.folded .head button').getAttribute('aria-expanded')"),
        "false"
    );
    browser.keys("+");
    browser.until("document.querySelectorAll('.file.folded').length", &json!(0));

    // Both sides, and one below the other where there is no room for two.
    browser.keys("v");
    browser.until("document.querySelectorAll('table.both').length > 0", &json!(true));
    browser.click("#clear");
    browser.keys("nn");
    browser.picture("page.png");
    browser.size(480, 800);
    browser.until("document.querySelectorAll('table.both').length", &json!(0));
    browser.until(
        "document.documentElement.scrollWidth <= document.documentElement.clientWidth",
        &json!(true),
    );
    browser.keys("n");
    browser.picture("page-narrow.png");
    browser.size(1280, 800);
    browser.click("#theme");
    browser.until("document.documentElement.dataset.theme", &json!("dark"));
    browser.click("#clear");
    browser.script("scrollTo(0, 0)");
    browser.picture("page-dark.png");

    // All that is drawn while scrolling is drawn for a printer, on narrow paper too.
    browser.click("#view");
    browser.click("#view");
    let lines = "[...document.querySelectorAll('.block')].every(b => b.childElementCount > 0)";
    browser.script(&format!("addEventListener('afterprint', () => {{ window.drawn = {lines}; }})"));
    let print = json!({ "cmd": "Page.printToPDF", "params": { "paperWidth": 5 } });
    browser.ask("POST", &browser.here("/goog/cdp/execute"), &print);
    browser.until("window.drawn", &json!(true));
    // What changed is told by signs and words, not by colour alone.
    let signs = "[...document.querySelectorAll('td.sign.added')].every(t => t.textContent === '+')";
    assert_eq!(browser.script(&format!("return {signs}")), true);
    let told = "[...document.querySelectorAll('td.removed:not(.no):not(.sign)')].every(t => t.textContent.startsWith('removed: '))";
    assert_eq!(browser.script(&format!("return {told}")), true);
    assert_eq!(browser.complaints(), json!([]));
}
