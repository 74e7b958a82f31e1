//! The shipped demo: what it moves, and what it must leave alone.

use testkit::Sandbox;

/// A sandbox whose project is the demo's, and whose recipe is the demo's.
fn demo() -> Sandbox {
    let s = Sandbox::new();
    let out = s.run(&["demo", "--json", "sample"]).ok().json();
    assert!(out["accepted"].as_u64() > Some(20));
    s
}

#[test]
fn the_demo_tells_its_story_and_leaves_work() {
    let s = Sandbox::new();
    let run = s.run(&["demo", "sample"]).ok();
    for part in ["+	Station station = ", "written: 136 edits in 42 files", "Choices", "caution:"] {
        assert!(run.out.contains(part), "{part}\n{}", run.out);
    }
    assert!(!run.out.contains("held back"), "{}", run.out);
    s.run(&["demo", "sample"]).code(2).says("is not empty");
    // What it tells the reader to try works as it is printed.
    let project = s.path("sample/project").display().to_string();
    let next = run.out.split("What to try next").nth(1).expect("there");
    let lines = next.lines().filter_map(|l| l.trim().split_once("  #")).map(|l| l.0.trim());
    let commands: Vec<Vec<&str>> = lines.map(|l| l.split_whitespace().collect()).collect();
    let own: Vec<_> = commands.iter().filter(|c| c[0] == "emendo").collect();
    assert!(own.len() >= 12, "{next}");
    for c in own {
        let args: Vec<&str> = ["-C", &project].into_iter().chain(c[1..].iter().copied()).collect();
        s.run(&args).ok();
    }
}

#[test]
fn look_alikes_stay_and_a_finished_run_proposes_nothing() {
    let s = demo();
    let (dir, recipe) = (
        s.path("sample/project").display().to_string(),
        s.path("sample/tidewire-3.toml").display().to_string(),
    );
    s.run(&["-C", &dir, "undo"]).ok();
    let before = s.tree();
    s.run(&["-C", &dir, "propose", &recipe]).ok();
    for step in [
        "stop", "open", "levels", "listen", "clock", "types", "names", "settings", "units",
        "pages", "views", "tables",
    ] {
        s.run(&["-C", &dir, "accept", "--step", step, "--certainty", "all"]).ok();
    }
    s.run(&["-C", &dir, "accept", "--certainty", "all"]).ok();
    s.run(&["-C", &dir, "choose", "--step", "pool", "own"]).ok();
    s.run(&["-C", &dir, "apply"]).ok();
    let after = s.tree();
    // A file is called after its type.
    let table = "sample/project/berths/src/main/java/harbour/berths/TideTable.java";
    assert!(!after.contains_key(table));
    for (path, bytes) in before.iter().filter(|b| b.0 != table) {
        let stays = path.contains("/rail/")
            || path.contains("/trains.")
            || path.ends_with("tides.tsx")
            || path.ends_with("marks/Gauge.java")
            || path.ends_with("visitors/src/Train.php")
            || path.ends_with("lanterns/lib/src/train.dart")
            || path.ends_with("ferries/lib/ferries/station.rb")
            || path.ends_with("tugs/lib/tugs/berth.ex")
            || path.ends_with("divers/Sources/Divers/Berth.swift")
            || path.ends_with("berths/pom.xml");
        assert_eq!(
            stays
                || path.contains(".gitignore")
                || path.ends_with("tidewire-3.toml")
                || path.ends_with("renames.csv"),
            after[path] == *bytes,
            "{path}"
        );
    }
    let service = String::from_utf8_lossy(
        &after["sample/project/berths/src/main/java/harbour/berths/BerthService.java"],
    )
    .into_owned();
    assert!(service.contains("\"new Station(host, 7070) opens a station\""), "strings stay");
    assert!(service.contains("// Gauges.level(gauge, \"m\") of version 2"), "comments stay");
    assert!(service.contains("{@code new Station(host, port)}"), "documentation stays");
    let light = &after["sample/project/berths/src/main/java/harbour/berths/MoleLight.java"];
    assert!(
        !light.ends_with(b"\n") && light.windows(2).filter(|w| w == b"\r\n").count() == 11,
        "line ends stay"
    );
    let settings = String::from_utf8_lossy(
        &after["sample/project/berths/src/main/resources/application.properties"],
    )
    .into_owned();
    assert!(
        settings.contains("tidewired.client.port = 7070")
            && settings.contains("tidewire.units: metres")
    );
    let text = |path: &str| {
        String::from_utf8_lossy(&after[&format!("sample/project/{path}")]).into_owned()
    };
    for (path, parts) in [
        ("board/src/Board.tsx", &["new Stop('north', 1)", "title=\"new Station(host, 7070)\""][..]),
        (
            "board/src/views.ts",
            &[
                "import * as tides from './tides';",
                "  // What everybody sees.\n  { path: '/', show: Board },",
                "show: tides.Table, seconds: 60 }, // a minute",
            ],
        ),
        ("board/board.config.ts", &["views: [{ url: '/trains'", "  title: 'Harbour Board',\n});"]),
        (
            "berths/src/main/java/harbour/berths/BerthTable.java",
            &["class BerthTable {", "    BerthTable tomorrow;"],
        ),
        ("board/package.json", &["\"tidewire\": \"^3.0.2\"", "\"tidewire-themes\": \"^2.4.1\""]),
        ("forecast/requirements.txt", &["tidewire[net]==3.0.2  #", "tidewire-plots==2.4.1"]),
        (
            "forecast/forecast.py",
            &["stop.stop_station()", "from tidewire.api import Station, Gauge"],
        ),
        ("gauge-reader/Cargo.toml", &["features = [\"link\"]", "tidewire-log = \"2.4\""]),
        ("gauge-reader/gauge.toml", &["[tidewire]\nport = 7070        #", "[tidewired.client]"]),
        ("pilots/Roster.cs", &["new Rail.Station(\"north\", 1)", "using Tidewire.Api;"]),
        (
            "lanterns/lib/lanterns.dart",
            &["rail.Station('north', port: 1)", "train.stopStation();", "tidewire/api.dart'"],
        ),
        ("pilots/Pilots.csproj", &["Include=\"Tidewire.Contrib\" Version=\"2.4.1\""]),
        (
            "buoys/build.gradle.kts",
            &["org.tidewire-contrib:tidewire-core:2.4.1", "version \"3.0.2\""],
        ),
        (
            "board/public/tides.html",
            &[
                "onload=\"watch('the clock', 2)\"",
                "<rail-table data-gauge=\"1435\">",
                "not new Station(\"mole\", 7070)`",
                "<tide-table data-station=\"mole\">",
            ],
        ),
        (
            "berths/src/main/webapp/berths.jsp",
            &[
                "<rail:level gauge=\"1435\" mode=\"wide\"/>",
                "for (harbour.rail.Station stop",
                "\"as watch('lock', 2)\"",
                "above: <%= level %>",
            ],
        ),
        (
            "berths/src/main/resources/gauges.xml",
            &["<b:gauge name=\"rail\" mode=\"wide\"/>", "<t:gauge name=\"lock\" unit=\"m\"/>"],
        ),
        ("deploy/board.yaml", &["  port: 7070   #", "tidewired:\n  client:", "${tidewire.port}"]),
    ] {
        for part in parts {
            assert!(text(path).contains(part), "{path} without {part}:\n{}", text(path));
        }
    }
    let pom = String::from_utf8_lossy(&after["sample/project/pom.xml"]).into_owned();
    assert!(
        pom.contains("<tidewire-station.version>2.4.1<")
            && pom.contains("<tidewire.version>3.0.2<")
    );

    let again = s.run(&["-C", &dir, "propose", "--json", &recipe]).ok().json();
    assert_eq!(again["total"]["edits"], 0, "{again:#}");
    s.run(&["-C", &dir, "undo"]).ok();
    assert_eq!(s.tree(), before);
}
