//! Reads files of markup as they lie on disk, and says what became of them: how many elements, how many of them without an end, how long it
//! took. Stops at a page whose places do not hold.
//!
//! `cargo run --release -p emendo-docs --example markup -- DIR...`

use std::collections::BTreeMap;
use std::path::Path;
use std::time::{Duration, Instant};

use emendo_docs::markup::{Ending, HOSTS, host_among, read};
use emendo_text::{RelPath, Text};

#[derive(Default)]
struct Count {
    files: usize,
    bytes: usize,
    elements: usize,
    attributes: usize,
    missing: usize,
    stray: usize,
    code: usize,
    time: Duration,
}

fn main() {
    let mut counts: BTreeMap<&str, Count> = BTreeMap::new();
    for dir in std::env::args().skip(1) {
        walk(Path::new(&dir), &mut counts);
    }
    for (host, c) in &counts {
        print(host, c);
    }
}

fn print(host: &str, c: &Count) {
    use std::io::Write;
    let line = format!(
        "{host:<7} {:>6} files {:>9} kB {:>8} elements {:>8} attributes {:>5} without end {:>5} stray {:>6} code {:>6} ms\n",
        c.files,
        c.bytes / 1024,
        c.elements,
        c.attributes,
        c.missing,
        c.stray,
        c.code,
        c.time.as_millis()
    );
    drop(std::io::stdout().write_all(line.as_bytes()));
}

fn walk(path: &Path, counts: &mut BTreeMap<&'static str, Count>) {
    let Ok(meta) = std::fs::symlink_metadata(path) else { return };
    if meta.is_dir() {
        let mut all: Vec<_> = std::fs::read_dir(path).into_iter().flatten().flatten().collect();
        all.sort_by_key(std::fs::DirEntry::path);
        all.iter().for_each(|e| walk(&e.path(), counts));
        return;
    }
    let name = path.file_name().and_then(|n| n.to_str()).and_then(|n| RelPath::new(n).ok());
    let Some(host) = name.and_then(|n| host_among(HOSTS.iter(), &n)).filter(|_| meta.is_file())
    else {
        return;
    };
    let Ok(bytes) = std::fs::read(path) else { return };
    let Ok(text) = Text::decode(&bytes) else { return };
    let start = Instant::now();
    let page = read(host, text.as_str());
    let time = start.elapsed();
    if let Some(why) = page.fault() {
        panic!("{}: {why}", path.display());
    }
    let c = counts.entry(host.id).or_default();
    c.files += 1;
    c.bytes += bytes.len();
    c.elements += page.elements.len();
    c.attributes += page.elements.iter().map(|e| e.attributes.len()).sum::<usize>();
    let missing = page.elements.iter().filter(|e| e.ending == Ending::Missing).count();
    if missing + page.stray.len() > 0 && std::env::var_os("SHOW").is_some() {
        let first = page.elements.iter().find(|e| e.ending == Ending::Missing);
        let first = first.map_or("", |e| e.start.of(page.text));
        let first: String = first.chars().take(60).collect();
        print(&format!("{} {missing} {} {first}", path.display(), page.stray.len()), c);
    }
    c.missing += missing;
    c.stray += page.stray.len();
    c.code += page.code.len();
    c.time += time;
}
