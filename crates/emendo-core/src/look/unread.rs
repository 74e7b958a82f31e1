//! Files that a run passes over, or of which it reads no code, and that hold an old name all the same, by a scan for words: until they were looked at, nothing can be
//! said of them.

use aho_corasick::AhoCorasick;
use emendo_docs::markup::{self, Host, read};
use emendo_text::{RelPath, Text};
use rayon::prelude::*;
use serde::Serialize;

use crate::plan::Plan;
use crate::project::{PassedOver, Project, SkipReason, files_passed_over, walk};

/// A file that was passed over and holds an old name.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct UnreadFile {
    /// The file, or a folder that ends in `/` and has too many files to look at.
    pub path: String,
    /// Why it was passed over.
    pub why: SkipReason,
    /// The names that it holds.
    pub names: Vec<String>,
}

/// Rules whose files count: what only an ignore file excludes, and other repositories, do not.
const COUNTED: [SkipReason; 8] = [
    SkipReason::Vendored,
    SkipReason::Minified,
    SkipReason::Generated,
    SkipReason::Unreadable,
    SkipReason::Encoding,
    SkipReason::Wide,
    SkipReason::Large,
    SkipReason::Slow,
];

/// The old names of a plan, as words.
struct OldWords {
    words: Vec<String>,
    scan: AhoCorasick,
}

impl OldWords {
    fn of(plan: &Plan) -> Option<Self> {
        let part = |c: char| c.is_alphanumeric() || c == '_' || c == '-';
        let symbols = plan.watches.iter().flat_map(|w| w.about.keys());
        let last = symbols.filter_map(|s| {
            let head = s.split('(').next().unwrap_or(s);
            let word = head.trim_end_matches(|c| !part(c)).rsplit(|c| !part(c)).next()?;
            (word.len() > 1).then(|| word.to_owned())
        });
        let mut words: Vec<String> = last.collect();
        words.sort_unstable();
        words.dedup();
        // Each as it stands in 8-bit encodings, and in the two orders of UTF-16.
        let narrow = words.iter().map(|w| w.as_bytes().to_vec());
        let little = words.iter().map(|w| w.encode_utf16().flat_map(u16::to_le_bytes).collect());
        let big = words.iter().map(|w| w.encode_utf16().flat_map(u16::to_be_bytes).collect());
        let all: Vec<Vec<u8>> = narrow.chain(little).chain(big).collect();
        let scan = AhoCorasick::new(all).ok()?;
        (!words.is_empty()).then_some(Self { words, scan })
    }

    /// The words that stand by themselves in a file; none if it holds none, or cannot be read.
    fn of_file(&self, project: &Project, path: &RelPath) -> Vec<String> {
        project.bytes(path).map_or_else(|_| Vec::new(), |bytes| self.within(&bytes))
    }

    /// The words in the code of a page that nobody reads.
    fn of_page(&self, project: &Project, path: &RelPath, host: &'static Host) -> Vec<String> {
        let Ok(bytes) = project.bytes(path) else { return Vec::new() };
        if !self.scan.is_match(bytes.as_slice()) {
            return Vec::new();
        }
        let Ok(text) = Text::decode(&bytes) else { return Vec::new() };
        let page = read(host, text.as_str());
        let code: Vec<&str> =
            markup::unread(&page).into_iter().map(|at| at.of(text.as_str())).collect();
        self.within(code.join("\n").as_bytes())
    }

    /// The words that stand by themselves in some bytes.
    fn within(&self, bytes: &[u8]) -> Vec<String> {
        let part = |b: Option<&u8>| b.is_some_and(|b| b.is_ascii_alphanumeric() || *b == b'_');
        let mut found = std::collections::BTreeSet::new();
        for hit in self.scan.find_overlapping_iter(bytes) {
            let (n, wide) = (self.words.len(), hit.pattern().as_usize() >= self.words.len());
            let before = hit.start().checked_sub(if wide { 2 } else { 1 });
            let after = bytes.get(hit.end());
            if wide || !part(before.and_then(|b| bytes.get(b))) && !part(after) {
                found.insert(hit.pattern().as_usize() % n);
            }
        }
        found.into_iter().map(|i| self.words[i].clone()).collect()
    }
}

/// The files that a run passed over and that hold an old name.
pub(crate) fn unread(project: &Project, plan: &Plan, passed: &PassedOver) -> Vec<UnreadFile> {
    let Some(words) = OldWords::of(plan) else { return Vec::new() };
    let mut out = Vec::new();
    for (why, names) in passed.iter().filter(|(why, _)| COUNTED.contains(why)) {
        for name in names {
            let Some(files) = files_passed_over(project, name) else {
                out.push(UnreadFile { path: name.clone(), why: *why, names: Vec::new() });
                continue;
            };
            out.extend(files.into_iter().filter_map(|path| {
                let names = words.of_file(project, &path);
                let file = UnreadFile { path: path.as_str().to_owned(), why: *why, names };
                (!file.names.is_empty()).then_some(file)
            }));
        }
    }
    let pages = walk(project, &[]).files;
    let one = |path: &RelPath| {
        let host = plan.world.host_of(path)?;
        let names = words.of_page(project, path, host);
        let why = SkipReason::Template;
        let file = UnreadFile { path: path.as_str().to_owned(), why, names };
        (!file.names.is_empty()).then_some(file)
    };
    let found: Vec<UnreadFile> = pages.par_iter().filter_map(one).collect();
    out.extend(found);
    out
}
