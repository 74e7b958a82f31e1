//! Settings files: keys, values and lines, byte for byte.

use testkit::Sandbox;

/// Runs one action over a properties file and gives what became of it.
fn after(action: &str, before: &str) -> String {
    let s = Sandbox::new();
    s.recipe(&format!("[[step]]\nid = 's'\ntitle = 'S'\n[[step.setting]]\n{action}"));
    s.write("conf/app.properties", before);
    s.propose().ok();
    s.run(&["apply", "--accept", "all"]).ok();
    let once = s.read("conf/app.properties");
    assert_eq!(s.propose_json()["total"]["edits"], 0, "a second run proposes nothing");
    once
}

const RENAME: &str = "key = 'tide.host'\nnew = 'tide.server.host'";

#[test]
fn a_key_is_renamed_in_any_layout() {
    for (before, want) in [
        ("tide.host=a", "tide.server.host=a"),
        ("  tide.host : a\\\n   b\r\n", "  tide.server.host : a\\\n   b\r\n"),
        ("tide.host a b\n", "tide.server.host a b\n"),
        ("tide\\.host=a\n", "tide.server.host=a\n"),
        ("tide.host\n", "tide.server.host\n"),
        (
            "# tide.host=a\n! tide.host=b\nx=tide.host\n",
            "# tide.host=a\n! tide.host=b\nx=tide.host\n",
        ),
        ("tide.hosts=a\nmytide.host=b\n", "tide.hosts=a\nmytide.host=b\n"),
        ("\u{feff}tide.host=a\n", "\u{feff}tide.server.host=a\n"),
    ] {
        assert_eq!(after(RENAME, before), want);
    }
}

#[test]
fn all_keys_below_move_and_the_longest_wins() {
    let pairs =
        "pairs = [['tide.*', 'sea.*'], ['tide.log.*', 'log.*'], ['tide.log.level', 'level.log']]";
    let before = "tide.a=1\ntide.log.file=2\ntide.log.level=3\ntide=4\ntidewire.a=5\n";
    assert_eq!(after(pairs, before), "sea.a=1\nlog.file=2\nlevel.log=3\ntide=4\ntidewire.a=5\n");
}

#[test]
fn values_change_only_where_they_fit() {
    let action =
        "key = 'tide.at'\nwhen_value = '@{host}:@{port}'\nto = 'tcp://@{host}?port=@{port}'";
    assert_eq!(after(action, "tide.at = quay:70\n"), "tide.at = tcp://quay?port=70\n");
    assert_eq!(after(action, "tide.at = quay\n"), "tide.at = quay\n");
    let both = "key = 'tide.unit'\nnew = 'unit'\nwhen_value = 'metric'\nto = 'mètres'";
    assert_eq!(
        after(both, "tide.unit:metric # no comment\ntide.unit: metric\n"),
        "tide.unit:metric # no comment\nunit: m\\u00e8tres\n"
    );
}

#[test]
fn an_entry_goes_with_its_line_and_the_comment_above_stays() {
    let action = "key = 'tide.old'\nremove = true";
    assert_eq!(after(action, "a.b=1\n# why\ntide.old=x\\\n  y\nc.d=2\n"), "a.b=1\n# why\nc.d=2\n");
    assert_eq!(after(action, "a.b=1\n\ntide.old=x\n\nc.d=2"), "a.b=1\n\nc.d=2");
    assert_eq!(after(action, "a.b=1\r\ntide.old=x"), "a.b=1");
}

#[test]
fn a_key_that_is_there_already_is_a_note() {
    let s = Sandbox::new();
    s.recipe(&format!("[[step]]\nid = 's'\ntitle = 'S'\n[[step.setting]]\n{RENAME}"));
    s.write("a.properties", "tide.host=1\ntide.server.host=2\n");
    s.propose().ok().says("which this file has already").says("nothing to change");
}

#[test]
fn a_single_word_is_never_certain() {
    let s = Sandbox::new();
    s.recipe(
        "[[step]]\nid = 's'\ntitle = 'S'\n[[step.setting]]\nkey = 'port'\nnew = 'tide.port'\n",
    );
    s.write("a.properties", "port=1\n");
    assert_eq!(s.edits()[0]["certainty"], "unsure");
    s.recipe("[[step]]\nid = 's'\ntitle = 'S'\n[[step.setting]]\nfiles = 'a.*'\nkey = 'port'\nnew = 'tide.port'\n");
    assert_eq!(s.edits()[0]["certainty"], "likely");
    s.recipe("[[step]]\nid = 's'\ntitle = 'S'\n[[step.setting]]\nnot_files = '*.properties'\nkey = 'port'\nnew = 'tide.port'\n");
    assert!(s.edits().is_empty());
}
