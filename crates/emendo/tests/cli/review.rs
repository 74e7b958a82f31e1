//! The review screen in a terminal: keys in, cells out; and the same line by line.
#![cfg(unix)]

use std::io::{Read, Write};
use std::process::Stdio;
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use portable_pty::{Child, CommandBuilder, MasterPty, PtySize, native_pty_system};
use testkit::Sandbox;

/// How long a screen may take to show what is waited for, on a busy machine.
const LONG: Duration = Duration::from_secs(60);

/// A program in a terminal.
struct Terminal {
    screen: Arc<Mutex<vt100::Parser>>,
    keys: Box<dyn Write + Send>,
    child: Box<dyn Child + Send + Sync>,
    _master: Box<dyn MasterPty + Send>,
}

impl Terminal {
    fn start(s: &Sandbox, args: &[&str], (cols, rows): (u16, u16), env: &[(&str, &str)]) -> Self {
        let size = PtySize { rows, cols, pixel_width: 0, pixel_height: 0 };
        let pair = native_pty_system().openpty(size).expect("a terminal");
        let closed = s.command(args);
        let mut command = CommandBuilder::new(closed.get_program());
        command.args(args);
        command.cwd(s.root());
        command.env_clear();
        for (name, value) in closed.get_envs() {
            command.env(name, value.unwrap_or_default());
        }
        command.env("TERM", "xterm-256color");
        env.iter().for_each(|(name, value)| command.env(name, value));
        let child = pair.slave.spawn_command(command).expect("the program runs");
        drop(pair.slave);
        let screen = Arc::new(Mutex::new(vt100::Parser::new(rows, cols, 0)));
        let mut output = pair.master.try_clone_reader().expect("a reader");
        let keys = pair.master.take_writer().expect("a writer");
        let shared = screen.clone();
        std::thread::spawn(move || {
            let mut buffer = [0; 4096];
            while let Ok(n) = output.read(&mut buffer) {
                if n == 0 {
                    return;
                }
                shared.lock().expect("whole").process(&buffer[..n]);
            }
        });
        Self { screen, keys, child, _master: pair.master }
    }

    fn shown(&self) -> String {
        self.screen.lock().expect("whole").screen().contents()
    }

    /// Waits until the screen is as it should be.
    fn until(&self, what: &str, is: impl Fn(&str) -> bool) -> String {
        let began = Instant::now();
        loop {
            let shown = self.shown();
            if is(&shown) {
                return shown;
            }
            assert!(began.elapsed() < LONG, "no {what} in\n{shown}");
            std::thread::sleep(Duration::from_millis(15));
        }
    }

    fn says(&self, words: &str) -> String {
        self.until(words, |shown| shown.contains(words))
    }

    /// Waits until nothing changes any more.
    fn settled(&self) -> String {
        let mut shown = self.shown();
        for _ in 0..100 {
            std::thread::sleep(Duration::from_millis(250));
            let now = self.shown();
            if now == shown && !now.contains("reading ...") && !now.contains("computing") {
                break;
            }
            shown = now;
        }
        shown
    }

    fn keys(&mut self, keys: &str) {
        self.keys.write_all(keys.as_bytes()).expect("it listens");
        self.keys.flush().expect("it listens");
    }

    fn ends(mut self) {
        let code = self.child.wait().expect("it ends");
        assert!(code.success(), "{}", self.shown());
    }
}

/// What the review of a folder shows after some keys: the size of the screen, then the keys.
pub(crate) fn after_keys(s: &Sandbox, folder: &str, keys: &str) -> String {
    let mut words = keys.split_whitespace();
    let size = words.next().and_then(|size| size.split_once('x')).expect("a size");
    let size = (size.0.parse().expect("columns"), size.1.parse().expect("lines"));
    let mut t = Terminal::start(s, &["-C", folder, "review"], size, &[]);
    t.says("? help");
    for key in words {
        t.keys(match key {
            "Enter" => "\r",
            "Down" => "\u{1b}[B",
            other => other,
        });
        t.settled();
    }
    let shown = t.settled();
    t.keys("\u{3}");
    t.ends();
    let lines: Vec<&str> = shown.lines().map(str::trim_end).collect();
    format!("{}\n", lines.join("\n").trim_end())
}

/// How many places wait, by the first line.
fn waiting(shown: &str) -> Option<usize> {
    let head = shown.lines().next()?.split(" waiting").next()?;
    head.rsplit(' ').next()?.parse().ok()
}

/// The demo's project with all its edits undecided.
fn demo() -> Sandbox {
    let s = Sandbox::new();
    s.run(&["demo", "--json", "sample"]).ok();
    let dir = s.path("sample/project").display().to_string();
    s.run(&["-C", &dir, "undo"]).ok();
    s.run(&["-C", &dir, "reopen", "--all"]).ok();
    s
}

/// Decides on the places that wait, one after another, until so many are left.
fn decide(t: &mut Terminal, left: usize) {
    loop {
        let shown = t.shown();
        let Some(n) = waiting(&shown).filter(|n| *n > left) else { return };
        t.keys(if shown.contains("\u{2500} choose \u{2500}") { "1" } else { "t" });
        t.until("the next place", |s| {
            waiting(s).is_some_and(|now| now < n) && !s.contains("computing")
        });
    }
}

fn decided_whole(size: (u16, u16)) {
    let s = demo();
    let args = ["-C", "sample/project", "review"];
    let mut t = Terminal::start(&s, &args, size, &[]);
    t.says("What needs you");
    t.keys("f\r");
    let shown = t.until("the first place", |s| s.contains("why") && s.contains("t take"));
    let all = waiting(&shown).expect("a count");
    assert!(all > 70, "{shown}");
    decide(&mut t, all - 5);
    // A closed terminal loses nothing.
    t.child.kill().expect("it runs");
    drop(t);
    let mut t = Terminal::start(&s, &args, size, &[]);
    let shown = t.says("What needs you");
    assert_eq!(waiting(&shown), Some(all - 5), "{shown}");
    t.keys("f\r");
    t.until("the next place", |s| s.contains("why") && s.contains("t take"));
    decide(&mut t, 0);
    t.keys("A");
    t.says("None of these files has changes of your own");
    t.keys("\r");
    t.says("Written");
    t.keys("\r");
    t.says("0 waiting");
    t.keys("q");
    t.ends();
    // Nothing of it is left to be decided on.
    s.run(&["-C", "sample/project", "propose", "sample/tidewire-3.toml", "--check"]);
    let open = s.run(&["-C", "sample/project", "status", "--json"]).ok().json();
    assert_eq!(open["open"]["undecided"], 0, "{open:#}");
    assert_eq!(open["open"]["accepted"], 0, "{open:#}");
    assert!(
        s.read("sample/project/berths/src/main/java/harbour/berths/NightJob.java")
            .contains("pool(\"harbour\")")
    );
}

#[test]
fn the_demo_is_decided_whole_in_a_small_window() {
    decided_whole((80, 24));
}

#[test]
fn the_demo_is_decided_whole_in_a_large_window() {
    decided_whole((200, 60));
}

const STEPS: &str = "
[[step]]
id = 'open'
title = 'Open'
[[step.code]]
old = 'new Station(@{host})'
new = 'Station.at(@{host}).open()'
names.Station = 'tidewire.client.Station'
";

fn stations() -> Sandbox {
    let s = Sandbox::java(
        STEPS,
        "use(new Station(1));\n        use(new Station(2));\n        use(new Station(3));",
    );
    s.propose().ok();
    s
}

#[test]
fn own_words_an_editor_and_what_others_decide() {
    let s = stations();
    let editor = s.path("edit.sh");
    s.write("edit.sh", "#!/bin/sh\nprintf 'Station.own(\\n    2)\\n' > \"$1\"\n");
    let mode = std::os::unix::fs::PermissionsExt::from_mode(0o755);
    std::fs::set_permissions(&editor, mode).expect("ours");
    let editor = editor.display().to_string();
    let mut t = Terminal::start(&s, &["review"], (120, 40), &[("EDITOR", &editor)]);
    t.says("What needs you");
    t.keys("\r");
    t.says("t take");
    t.keys("w");
    t.says("in your own words");
    // The line is typed anew; what does not parse is not taken.
    t.keys("\u{15}Station.own((\r");
    t.says("would no longer parse");
    t.keys("\u{7f}1)\r");
    t.says("taken in your own words");
    t.keys("w");
    t.says("Ctrl-e");
    t.keys("\u{5}");
    t.until("the other text", |s| s.contains("2 taken"));
    let ids = s.run(&["show", "--undecided", "--json"]).ok().json();
    let id = ids["edits"][0]["id"].as_str().expect("one is left").to_owned();
    s.run(&["reject", "--edit", &id]).ok();
    t.until("what another decided", |s| s.contains("1 left"));
    t.keys("q");
    t.ends();
    s.run(&["apply", "--with-uncommitted"]).ok();
    let after = s.read("A.java");
    assert!(after.contains("Station.own(1)") && after.contains("Station.own(\n    2)"), "{after}");
    assert!(after.contains("new Station(3)"), "{after}");
}

#[test]
fn no_colour_where_none_is_wanted_and_keys_as_the_settings_say() {
    let s = stations();
    s.write("emendo.toml", "[keys]\ntake = 'y'\nwhy = ['tab', 'f2']\n");
    let mut t = Terminal::start(&s, &["review"], (100, 30), &[("NO_COLOR", "1")]);
    t.says("What needs you");
    t.keys("\r");
    t.says("y take");
    t.keys("y");
    t.says("1 taken");
    {
        let parser = t.screen.lock().expect("whole");
        let cells = (0..30).flat_map(|y| (0..100).map(move |x| (y, x)));
        let mut colours =
            cells.filter_map(|(y, x)| parser.screen().cell(y, x)).map(|c| c.fgcolor());
        assert!(colours.all(|c| c == vt100::Color::Default));
    }
    t.keys("\u{3}");
    t.ends();
    s.write("emendo.toml", "[keys]\ngrab = 'y'\n");
    s.run(&["review", "--plain"]).code(2).says("has no action `grab`").says("take, leave, later");
    s.write("emendo.toml", "[keys]\ntake = 3\n");
    s.run(&["review", "--plain"]).code(2).says("a key, or a list of keys");
}

/// Answers the questions of a plain review.
fn plain(s: &Sandbox, answers: &str) -> String {
    let mut child = s
        .command(&["review", "--plain"])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .expect("the program runs");
    let mut input = child.stdin.take().expect("piped");
    input.write_all(answers.as_bytes()).expect("it listens");
    drop(input);
    let out = child.wait_with_output().expect("it ends");
    assert!(out.status.success());
    String::from_utf8_lossy(&out.stdout).into_owned()
}

#[test]
fn line_by_line_in_whole_words() {
    let s = stations();
    let out = plain(&s, "what\ntake\nreword Station.own((\nreword Station.own(2)\n");
    for words in [
        "edit: A.java, line ",
        "old line ",
        "new line ",
        "alike: 3 places in 1 files",
        "`what` is no answer",
        "taken: A.java:",
        "would no longer parse",
        "taken in your own words",
        "2 accepted edits to write",
    ] {
        assert!(out.contains(words), "no {words:?} in\n{out}");
    }
    // It goes on where it was.
    let out = plain(&s, "leave\n");
    assert!(out.contains("left as it is: A.java:"), "{out}");
    s.run(&["review"]).code(2).says("needs a terminal").says("--plain");
    s.run(&["review", "--json"]).code(2);
}
