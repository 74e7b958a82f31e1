//! The table of languages: one row and one file each.

use emendo_text::RelPath;

use emendo_lang::Language;

/// All languages, in the order in which they are offered. A static, so that each has one address and can be told by it.
pub static LANGUAGES: &[&Language] = &[
    &crate::java::JAVA,
    &crate::typescript::TYPESCRIPT,
    &crate::typescript::JAVASCRIPT,
    &crate::python::PYTHON,
    &crate::rust::RUST,
    &crate::csharp::CSHARP,
    &crate::php::PHP,
    &crate::dart::DART,
    &crate::ruby::RUBY,
    &crate::elixir::ELIXIR,
    &crate::swift::SWIFT,
];

/// The language with this word.
pub fn language(id: &str) -> Option<&'static Language> {
    LANGUAGES.iter().copied().find(|l| l.id == id)
}

/// The language of a file, by its name.
pub fn language_of(path: &RelPath) -> Option<&'static Language> {
    LANGUAGES.iter().copied().find(|l| l.claims(path))
}

#[cfg(test)]
mod tests {
    use super::*;
    use emendo_lang::Tree;

    #[test]
    fn every_sample_parses_and_every_ending_is_claimed_once() {
        let mut seen = std::collections::HashSet::new();
        for l in LANGUAGES {
            assert!(!Tree::parse(l, l.grammar.sample).has_error(), "{}", l.id);
            for e in l.grammar.extensions {
                assert!(seen.insert(*e), "{e} is claimed twice");
            }
        }
    }

    #[test]
    fn every_kind_in_the_tables_exists_in_the_grammar() {
        for l in LANGUAGES {
            let g = (l.grammar.main)();
            let known = |kind: &str| {
                // Languages that share a table may each have kinds of their own.
                let shares = |o: &&&Language| o.typing.standard == l.typing.standard;
                let all = LANGUAGES.iter().filter(shares);
                let own = all.flat_map(|o| {
                    o.grammar.dialects.iter().map(|d| (d.grammar)()).chain([(o.grammar.main)()])
                });
                let shaped = l.grammar.reshape.iter().flat_map(|r| r.kinds).any(|k| *k == kind);
                kind.is_empty()
                    || shaped
                    || own.into_iter().any(|g| {
                        g.id_for_node_kind(kind, true) != 0 || g.id_for_node_kind(kind, false) != 0
                    })
            };
            let shaped = |f: &str| l.grammar.reshape.iter().flat_map(|r| r.fields).any(|k| *k == f);
            let plain = |f: &str| f.is_empty() || shaped(f) || g.field_id_for_name(f).is_some();
            // Of several steps each may be a kind, or a number.
            let step = |s: &str| {
                let s = s.trim_start_matches('^').split(':').next().unwrap_or(s);
                matches!(s, "." | "..") || s.parse::<usize>().is_ok() || plain(s) || known(s)
            };
            let field = |f: &str| if f.contains('/') { f.split('/').all(step) } else { plain(f) };
            let mut kinds: Vec<&str> = Vec::new();
            kinds.extend(l.compare.alike.iter().flat_map(|a| a.iter()));
            kinds.extend(
                l.compare.declarations.iter().flat_map(|d| d.free_kinds.iter().chain([&d.kind])),
            );
            kinds.extend(l.fragments.contexts.iter().flat_map(|c| c.accepts.iter()));
            kinds.extend(l.compare.lists);
            kinds.extend(l.compare.keyed.iter().flat_map(|k| [k.list, k.pair, k.shorthand]));
            kinds.extend(
                l.compare
                    .strings
                    .iter()
                    .chain(l.compare.interpolations)
                    .chain(l.compare.loose_text),
            );
            kinds.extend(
                l.fragments
                    .token_runs
                    .iter()
                    .chain(l.compare.transparent)
                    .chain(l.flow.nested)
                    .chain(l.fragments.bare_bodies),
            );
            kinds.extend(l.compare.chain.iter().chain(l.compare.spread_fields).map(|c| c.0));
            kinds.extend(l.fragments.forms.iter().flat_map(|f| f.1.iter().copied()));
            kinds.extend(
                l.writing
                    .loose
                    .iter()
                    .chain(l.flow.effects)
                    .chain(l.compare.spreads)
                    .chain(l.writing.line_items),
            );
            kinds.extend(l.writing.binding.iter().map(|b| b.0));
            kinds.extend(
                l.words.kinds.iter().map(|w| w.0).chain(l.words.positions.iter().map(|p| p.0)),
            );
            kinds.extend(
                l.words
                    .paths
                    .iter()
                    .chain(l.words.heads)
                    .chain(l.scopes.kinds)
                    .chain(l.scopes.member_scopes),
            );
            kinds.extend(l.scopes.bindings.iter().flat_map(|b| [b.kind, b.child]));
            kinds.extend(l.words.calls.iter().chain(l.words.members).map(|s| s.0));
            kinds.push(l.compare.parenthesized);
            kinds.extend(
                l.imports.packages.iter().chain(l.imports.kinds).chain(l.imports.import_like),
            );
            kinds.extend(
                l.words.receivers.iter().map(|r| r.0).chain(l.imports.preamble.iter().map(|p| p.0)),
            );
            let t = &l.typing;
            kinds.extend(t.exprs.iter().map(|e| e.0).chain(t.intros.iter().map(|i| i.kind)));
            kinds.extend(
                t.parts.iter().map(|p| p.0).chain(t.branching.tests.iter().map(|t| t.kind)),
            );
            kinds.extend(
                t.branching
                    .branches
                    .iter()
                    .map(|b| b.kind)
                    .chain(t.calls.functions.iter().map(|f| f.kind)),
            );
            kinds.extend(
                t.branching
                    .returns
                    .iter()
                    .map(|r| r.kind)
                    .chain(t.calls.callees.iter().map(|c| c.kind)),
            );
            kinds.extend(
                t.branching.blocks.iter().chain(t.type_params).chain(t.calls.arguments.lists),
            );
            kinds.extend(t.calls.function_types.iter().map(|f| f.kind));
            kinds.extend([t.calls.arguments.wrapper, t.calls.arguments.keyed.0]);
            if let Some(w) = &t.calls.waiting {
                kinds.push(w.kind);
                kinds.extend(w.functions.iter().map(|f| f.0).chain(w.blocks.iter().copied()));
            }
            kinds.extend(t.calls.packing.iter().flat_map(|p| p.lists.iter().copied()));
            for kind in kinds {
                assert!(known(kind), "{}: no kind {kind}", l.id);
            }
            let fields = l
                .scopes
                .bindings
                .iter()
                .map(|b| b.field)
                .chain(l.writing.binding.iter().map(|b| b.1));
            let fields = fields
                .chain(l.compare.chain.iter().map(|c| c.1))
                .chain(l.words.receivers.iter().map(|r| r.1));
            let fields = fields
                .chain(l.compare.keyed.iter().map(|k| k.key))
                .chain(l.words.positions.iter().map(|p| p.1));
            let of_types = t.calls.functions.iter().flat_map(|f| [f.result, f.body]);
            let of_types =
                of_types.chain(t.calls.callees.iter().flat_map(|c| [c.function, c.object]));
            let of_types = of_types.chain([t.calls.arguments.keyed.1, t.calls.arguments.keyed.2]);
            // A number counts children without a field.
            let counted = |f: &&str| !f.is_empty() && f.parse::<usize>().is_ok();
            for f in fields.chain(of_types).filter(|f| !counted(f)) {
                assert!(field(f), "{}: no field {f}", l.id);
            }
            let lists = t.calls.functions.iter().map(|f| f.params);
            for f in lists.chain(t.calls.function_types.iter().flat_map(|f| f.list.iter().copied()))
            {
                assert!(field(f) || known(f), "{}: no field or kind {f}", l.id);
            }
        }
    }
}
