//! Goes over real pages: `cargo run --release -p emendo-actions --example pages -- DIR...` reads the code in each, and says by kind of page
//! how many programs there are and how many of them a grammar cannot read.

use std::collections::BTreeMap;
use std::io::Write;
use std::path::{Path, PathBuf};

use emendo_actions::Tables;
use emendo_lang::Tree;
use emendo_text::{RelPath, Text};

#[derive(Default)]
struct Row {
    files: usize,
    layers: usize,
    pieces: usize,
    wrong: usize,
    bytes: usize,
}

fn main() -> std::io::Result<()> {
    let mut out = std::io::stdout().lock();
    let tables = Tables::default();
    let mut rows: BTreeMap<(String, String), Row> = BTreeMap::new();
    let shown = std::env::args().any(|a| a == "--show");
    for dir in std::env::args().skip(1).filter(|a| a != "--show") {
        for file in files(Path::new(&dir)) {
            let name = file.file_name().map(|n| n.to_string_lossy().into_owned());
            let Some(Ok(path)) = name.map(|n| RelPath::new(&n)) else { continue };
            let Some(host) = tables.host_of(&path) else { continue };
            let Ok(bytes) = std::fs::read(&file) else { continue };
            let Ok(text) = Text::decode(&bytes) else { continue };
            let Some(layers) = tables.layers_of(&path, text.as_str()) else { continue };
            for layer in &layers {
                assert_eq!(layer.view.len(), text.as_str().len(), "{}", file.display());
                let row = rows.entry((host.id.to_owned(), layer.ending.to_owned())).or_default();
                let language = tables.languages.iter().find(|l| l.reads_ending(layer.ending));
                let Some(language) = language else { continue };
                let tree = Tree::parse_ending(language, layer.ending, &layer.view);
                row.layers += 1;
                row.pieces += layer.pieces.len();
                row.bytes += layer.pieces.iter().map(|p| p.at.len()).sum::<usize>();
                if tree.has_error() {
                    row.wrong += 1;
                    if shown {
                        let at = tree.errors().first().map_or(0, |e| e.start as usize);
                        let line = layer.view[..at].matches('\n').count() + 1;
                        let end = (at + 60).min(layer.view.len());
                        let near = layer.view.get(at..end).unwrap_or("").trim();
                        writeln!(out, "{}:{line} {} {near:?}", file.display(), layer.ending)?;
                    }
                }
            }
            let row = rows.entry((host.id.to_owned(), String::new())).or_default();
            row.files += 1;
        }
    }
    for ((host, ending), r) in rows {
        let Row { files, layers, pieces, wrong, bytes } = r;
        writeln!(
            out,
            "{host:8} {ending:5} files {files:6} programs {layers:6} pieces {pieces:7} wrong {wrong:5} bytes {bytes}"
        )?;
    }
    Ok(())
}

fn files(dir: &Path) -> Vec<PathBuf> {
    let mut out = Vec::new();
    let mut open = vec![dir.to_owned()];
    while let Some(at) = open.pop() {
        let Ok(all) = std::fs::read_dir(&at) else { continue };
        for entry in all.flatten() {
            let Ok(kind) = entry.file_type() else { continue };
            if kind.is_dir() {
                open.push(entry.path());
            } else if kind.is_file() {
                out.push(entry.path());
            }
        }
    }
    out.sort();
    out
}
