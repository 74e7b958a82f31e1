//! Prints what is told of the type before each dot in a file: `types FILE`.

#![allow(clippy::print_stdout, clippy::expect_used)]

use emendo_lang::{FileFacts, Index, Resolver, Tree};
use emendo_languages::language_of;
use emendo_text::{Lines, RelPath};

fn main() {
    let path = std::env::args().nth(1).expect("a file");
    let text = std::fs::read_to_string(&path).expect("a text");
    let path = RelPath::new(path.trim_start_matches('/')).expect("a path");
    let language = language_of(&path).expect("a language that is built");
    let tree = Tree::parse_file(language, &path, &text);
    let facts = FileFacts::read(language, &tree, &text);
    let index = Index::default();
    let resolver = Resolver::new(language, &facts, &index, &tree, &text);
    let lines = Lines::new(&text);
    let mut seen = Vec::new();
    for receiver in facts.all_words().flat_map(|(_, w)| w).filter_map(|w| w.receiver) {
        seen.push(receiver);
    }
    seen.sort_by_key(|s| (s.start, s.end));
    seen.dedup();
    for at in seen {
        let told = resolver.type_at(at);
        println!("{}: {:40} {told:?}", lines.line(at.start), at.of(&text).replace('\n', " "));
    }
}
