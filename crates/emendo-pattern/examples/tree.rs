//! Prints the syntax tree of a file, node by node: `cargo run -p emendo-lang --example tree -- FILE`.

#![allow(clippy::print_stdout)]

use emendo_lang::Tree;
use emendo_languages::language_of;
use emendo_text::RelPath;

fn main() {
    let Some(path) = std::env::args().nth(1) else { return };
    let name = path.rsplit('/').next().unwrap_or("");
    let (Ok(text), Ok(rel)) = (std::fs::read_to_string(&path), RelPath::new(name)) else { return };
    let Some(language) = language_of(&rel) else { return };
    let tree = Tree::parse_file(language, &rel, &text);
    let mut cursor = tree.root().walk();
    let mut depth = 0;
    loop {
        let n = cursor.node();
        let field = cursor.field_name().map_or(String::new(), |f| format!("{f}: "));
        let text: String = text[n.byte_range()].chars().take(40).collect();
        let quote = if n.is_named() { "" } else { "'" };
        println!("{}{field}{quote}{}{quote} {text:?}", "  ".repeat(depth), n.kind());
        if cursor.goto_first_child() {
            depth += 1;
            continue;
        }
        loop {
            if cursor.goto_next_sibling() {
                break;
            }
            if !cursor.goto_parent() {
                return;
            }
            depth -= 1;
        }
    }
}
