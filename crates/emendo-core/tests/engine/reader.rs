//! One way to read files: once in a run, from disk or from whoever holds a newer text.

use std::collections::BTreeMap;
use std::io;
use std::path::Path;
use std::sync::{Arc, Mutex};

use emendo_core::{Decisions, Engine, FileResult, FileSource, Mode, Project, Sink};
use emendo_text::RelPath;

use crate::trial::{Trial, step, swap};

/// Files on disk, with how often each was read, and texts that are not saved.
#[derive(Debug, Default)]
struct Watched {
    reads: Mutex<BTreeMap<String, usize>>,
    unsaved: BTreeMap<RelPath, Vec<u8>>,
}

impl FileSource for Watched {
    fn bytes(&self, full: &Path, path: &RelPath) -> io::Result<Vec<u8>> {
        *self.reads.lock().expect("sound").entry(path.to_string()).or_default() += 1;
        match self.unsaved.get(path) {
            Some(bytes) => Ok(bytes.clone()),
            None => std::fs::read(full),
        }
    }

    fn size(&self, full: &Path, path: &RelPath) -> io::Result<u64> {
        match self.unsaved.get(path) {
            Some(bytes) => Ok(bytes.len() as u64),
            None => Ok(std::fs::metadata(full)?.len()),
        }
    }

    fn unsaved(&self) -> Vec<RelPath> {
        self.unsaved.keys().cloned().collect()
    }
}

#[derive(Default)]
struct Results(BTreeMap<String, String>);

impl Sink for Results {
    fn file(&mut self, file: FileResult) -> io::Result<()> {
        let after = file.after.map(|b| String::from_utf8_lossy(&b).into_owned());
        self.0.insert(file.path.to_string(), after.unwrap_or_default());
        Ok(())
    }
}

/// Runs the trial's plan over its project, read through a source; gives the new texts.
fn run(trial: &Trial, source: &Arc<Watched>) -> BTreeMap<String, String> {
    let project = Project::open(&trial.root()).expect("opens").with_source(source.clone());
    let project = project.reading();
    let (mut out, decisions) = (Results::default(), Decisions::default());
    let engine = Engine::new(&project, &trial.checked.plan, &decisions, Mode::View);
    engine.run(&mut out).expect("runs");
    out.0
}

const JAVA: &str = "package a;\n\nclass Mole {\n    tidewire.Station quay;\n}\n";

fn trial() -> Trial {
    let symbol = "[[step]]\nid = \"t\"\ntitle = \"t\"\nlang = \"java\"\n[[step.symbol]]\nwhat = \"type\"\nold = \"tidewire.Station\"\nnew = \"tidewire.Post\"\n";
    let steps = step("a", &swap("quay", "pier")) + symbol;
    Trial::new(&steps, &[("x.txt", "quay\n"), ("y.txt", "mole\n"), ("a/Mole.java", JAVA)])
}

#[test]
fn every_file_is_read_once_a_run() {
    let source = Arc::new(Watched::default());
    let texts = run(&trial(), &source);
    assert_eq!(texts["x.txt"], "pier\n");
    assert!(texts["a/Mole.java"].contains("tidewire.Post pier"), "{texts:?}");
    let reads = source.reads.lock().expect("sound");
    assert!(reads.len() >= 3, "{reads:?}");
    assert!(reads.values().all(|n| *n == 1), "{reads:?}");
}

#[test]
fn a_text_that_is_not_saved_counts_instead_of_the_file() {
    let path = |p: &str| RelPath::new(p).expect("a path");
    let unsaved = BTreeMap::from([
        (path("y.txt"), b"a new quay\n".to_vec()),
        (path("z/new.txt"), b"quay\n".to_vec()),
    ]);
    let source = Arc::new(Watched { unsaved, ..Watched::default() });
    let texts = run(&trial(), &source);
    assert_eq!(texts["y.txt"], "a new pier\n");
    assert_eq!(texts["z/new.txt"], "pier\n", "it is not on disk at all");
    assert_eq!(texts["x.txt"], "pier\n");
}

#[test]
fn nothing_is_written_for_a_text_that_is_not_saved() {
    let trial = trial();
    let before = trial.files.tree();
    let path = RelPath::new("y.txt").expect("a path");
    let source = Watched { unsaved: [(path, b"quay\n".to_vec())].into(), ..Watched::default() };
    run(&trial, &Arc::new(source));
    assert_eq!(trial.files.tree(), before);
}
