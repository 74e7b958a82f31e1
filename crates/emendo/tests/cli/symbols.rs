//! Renamed packages and types, file by file.

use testkit::Sandbox;

/// Runs `symbol` actions over files; gives what became of the first.
#[track_caller]
fn after(actions: &str, files: &[(&str, &str)]) -> String {
    let s = Sandbox::new();
    s.recipe(&format!("[[step]]\nid = 's'\ntitle = 'S'\n{actions}"));
    files.iter().for_each(|(path, text)| s.write(path, text));
    s.propose().ok();
    s.run(&["apply", "--accept", "all"]).ok();
    assert_eq!(
        s.propose_json()["total"]["edits"],
        0,
        "a second run proposes nothing:\n{}",
        s.read(files[0].0)
    );
    for (path, text) in &files[1..] {
        assert_eq!(s.read(path), *text, "the others stay");
    }
    s.read(files[0].0)
}

fn types(pairs: &str) -> String {
    format!("[[step.symbol]]\nwhat = 'type'\npairs = [{pairs}]\n")
}

const PACKAGE: &str = "[[step.symbol]]\nwhat = 'package'\nold = 'tide.client'\nnew = 'tide.api'\n";

#[test]
fn a_type_that_moves_away_from_a_wildcard_gets_an_import_of_its_own() {
    let moved = types("['tide.client.Mark', 'tide.marks.Mark']");
    let file = "package p;\nimport tide.client.*;\nclass A { Mark m; Other o; }\n";
    assert_eq!(
        after(&moved, &[("A.java", file)]),
        file.replace("client.*;\n", "client.*;\nimport tide.marks.Mark;\n")
    );
    // Unused by that name: nothing to do.
    let file = "package p;\nimport tide.client.*;\nclass A { Other o; }\n";
    assert_eq!(after(&moved, &[("A.java", file)]), file);
}

#[test]
fn nested_types_go_with_their_outer_one_and_alone() {
    let file = "import tide.client.Station;\nimport tide.client.Station.Port;\nclass A { Station.Port a; Port b; Station.Other c; tide.client.Station.Port d; }\n";
    let outer = after(&types("['tide.client.Station', 'tide.api.Quay']"), &[("A.java", file)]);
    assert_eq!(
        outer,
        "import tide.api.Quay;\nimport tide.api.Quay.Port;\nclass A { Quay.Port a; Port b; Quay.Other c; tide.api.Quay.Port d; }\n"
    );
    let inner = after(
        &types("['tide.client.Station.Port', 'tide.client.Station.Gate']"),
        &[("A.java", file)],
    );
    assert_eq!(
        inner,
        "import tide.client.Station;\nimport tide.client.Station.Gate;\nclass A { Station.Gate a; Gate b; Station.Other c; tide.client.Station.Gate d; }\n"
    );
}

#[test]
fn two_types_swap_their_names() {
    let file =
        "import tide.client.Left;\nimport tide.client.Right;\nclass A { Left a; Right b; }\n";
    let swapped = after_once(
        &types(
            "['tide.client.Left', 'tide.client.Right'], ['tide.client.Right', 'tide.client.Left']",
        ),
        file,
    );
    // Each import stays for the other's sake.
    assert_eq!(swapped, file.replace("Left a; Right b", "Right a; Left b"));
}

/// A swap is not a fixed point: only the first run is looked at.
fn after_once(actions: &str, file: &str) -> String {
    let s = Sandbox::new();
    s.recipe(&format!("[[step]]\nid = 's'\ntitle = 'S'\n{actions}"));
    s.write("A.java", file);
    s.migrate();
    s.read("A.java")
}

#[test]
fn packages_by_whole_segments_with_exceptions() {
    let file = "package p;\nimport tide.client.A;\nimport tide.client.sub.B;\nimport tide.clients.C;\nimport static tide.client.D.e;\nimport static tide.client.F.*;\nimport tide.client.raw.G;\nclass X { tide.client.H h = tide.client.raw.I.j(); }\n";
    let want = file
        .replace("tide.client.A", "tide.api.A")
        .replace("tide.client.sub", "tide.api.sub")
        .replace("tide.client.D", "tide.api.D")
        .replace("tide.client.F", "tide.api.F")
        .replace("tide.client.H", "tide.api.H");
    assert_eq!(
        after(&format!("{PACKAGE}except = ['tide.client.raw.**']\n"), &[("X.java", file)]),
        want
    );
}

#[test]
fn what_the_project_itself_keeps_in_the_package_stays() {
    let own = "package tide.client.extra;\npublic class Own { }\n";
    let file = "package p;\nimport tide.client.extra.Own;\nimport tide.client.Station;\nclass A { Own a; Station b; tide.client.extra.Own c; }\n";
    let got = after(PACKAGE, &[("p/A.java", file), ("tide/client/extra/Own.java", own)]);
    assert!(
        got.contains("import tide.client.extra.Own;") && got.contains("import tide.api.Station;"),
        "{got}"
    );
}

#[test]
fn a_new_name_that_is_taken_is_written_in_full() {
    let renamed = types("['tide.client.Gauge', 'tide.api.Meter']");
    let taken = [
        "import tide.client.Gauge;\nimport other.Meter;\nclass A { Gauge a; Meter b; }\n",
        "import tide.client.Gauge;\nclass A { Gauge a; static class Meter { } }\n",
        "import tide.client.Gauge;\nclass A<Meter> { Gauge a; Meter b; }\n",
    ];
    for file in taken {
        let want =
            file.replace("import tide.client.Gauge;\n", "").replace("Gauge a", "tide.api.Meter a");
        assert_eq!(after(&renamed, &[("A.java", file)]), want);
    }
    // A type of the same package in another file.
    let file = "package p;\nimport tide.client.Gauge;\nclass A { Gauge a; }\n";
    let got =
        after(&renamed, &[("p/A.java", file), ("p/Meter.java", "package p;\nclass Meter { }\n")]);
    assert_eq!(got, "package p;\nclass A { tide.api.Meter a; }\n");
}

#[test]
fn a_half_done_upgrade_is_finished() {
    let both = format!("{}{PACKAGE}", types("['tide.client.Gauge', 'tide.api.Meter']"));
    for file in [
        "import tide.api.Gauge;\nclass A { Gauge a; }\n",
        "import tide.client.Gauge;\nclass A { Gauge a; }\n",
        "import tide.api.Meter;\nclass A { Meter a; }\n",
    ] {
        assert_eq!(
            after(&both, &[("A.java", file)]),
            "import tide.api.Meter;\nclass A { Meter a; }\n"
        );
    }
}

#[test]
fn a_table_of_many_names_is_one_pass() {
    let s = Sandbox::new();
    s.recipe("[[step]]\nid = 's'\ntitle = 'S'\n[[step.symbol]]\nwhat = 'type'\nbase = { old = 'tide.client', new = 'tide.api' }\ntable = 'names.csv'\n");
    let rows: String = (0..1500).map(|i| format!("Old{i},New{i}\n")).collect();
    std::fs::write(s.path("../names.csv"), rows).expect("writable");
    for i in 0..30 {
        s.write(&format!("F{i}.java"), format!("import tide.client.Old{i};\nimport tide.client.Keep;\nclass F{i} {{ Old{i} a; Keep b; }}\n"));
    }
    s.migrate();
    for i in 0..30 {
        assert_eq!(
            s.read(&format!("F{i}.java")),
            format!(
                "import tide.api.New{i};\nimport tide.client.Keep;\nclass F{i} {{ New{i} a; Keep b; }}\n"
            )
        );
    }
}
