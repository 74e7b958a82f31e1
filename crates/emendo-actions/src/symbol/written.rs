//! What is written over a use of a symbol, and what must be imported for that.

use emendo_lang::{ImportName, Space, Word};
use emendo_pattern::respell;
use emendo_text::{Span, Splice};

use crate::contract::SymbolKind;
use crate::meaning::{Place, Rewritten, SymbolRunner};

impl SymbolRunner {
    /// What must stand before the new name of a member that is named without its object: nothing, or the object, where
    /// something nearer has that name.
    pub(super) fn captured(&self, p: &Place<'_>, word: &Word, new: &str) -> Result<String, String> {
        let language = self.rows.language;
        let implied = self.what.member()
            && word.receiver.is_none()
            && !word.key
            && word.space != Space::Declared
            && !p.code.facts.is_string(word.span);
        let own = language.declares.hints.own.first().filter(|_| implied);
        let Some(own) = own.filter(|_| p.text(word.span) != new) else { return Ok(String::new()) };
        if p.resolver.is_expected_word(word.span) {
            return Ok(String::new());
        }
        let spaces = if word.space == Space::Callable { [Space::Callable] } else { [Space::Value] };
        let nearer = p.code.facts.lookup(new, &spaces, word.span.start);
        if nearer.is_none_or(|d| d.top || p.code.facts.owner_of(d.at).is_some()) {
            return Ok(String::new());
        }
        if p.resolver.head_around(word.span).split_whitespace().any(|w| w == "static") {
            return Err(format!("`{new}` means something else here"));
        }
        Ok(format!("{own}{}", language.names.written_mark()))
    }

    /// A use by one name: the new one with its import, or what the file calls it already.
    pub(super) fn renamed(
        &self,
        p: &Place<'_>,
        word: &Word,
        old: &str,
        new: &str,
    ) -> Result<Rewritten, String> {
        let names = &self.rows.language.names;
        let at = word.span.start;
        let owner = names.parent(new);
        let of_type = self.what != SymbolKind::Package
            && !owner.is_empty()
            && names.segments(&names.package(new)).len() < names.segments(&owner).len()
            && names.package(old) == names.parent(old);
        let named_type = names.last(new).starts_with(char::is_uppercase);
        if of_type && !named_type && self.rows.language.modules.is_some() {
            // What was a module's own is a member of a type now.
            let spelled = p.resolver.spell(&owner, Space::Type, at)?;
            let text = format!("{}{}{}", spelled.text, names.separator, names.last(new));
            let text = self.bracketed(p, word.span, text);
            return Ok(Rewritten {
                splices: vec![Splice::text(word.span, text)],
                imports: spelled.imports,
                kept: Vec::new(),
            });
        }
        if word.span.of(p.cx.text) == names.last(new) {
            // The name stays; only where it comes from changes, and that is the import's matter.
            return Ok(Rewritten { splices: Vec::new(), imports: Vec::new(), kept: Vec::new() });
        }
        if names.segments(old).len() == 1 && self.what == SymbolKind::Package {
            let import =
                ImportName { whole: true, ..self.rows.language.import_of(new, Space::Type) };
            // Where a module has one name only, its statement changes by itself.
            let bound =
                !self.rows.language.imports.own_names && p.resolver.import_at(old, at).is_some();
            return Ok(Rewritten {
                splices: vec![Splice::text(word.span, new)],
                imports: if bound { vec![import] } else { Vec::new() },
                kept: Vec::new(),
            });
        }
        // Inside the module that declares it, and where it comes in with all of a module: no import of its own.
        let imported =
            p.resolver.facts.imports.iter().find(|i| {
                !i.passes_on && !i.wildcard && i.local() == Some(word.span.of(p.cx.text))
            });
        let spelled = match imported {
            None if self.in_own_module(p, old) || self.comes_with_all(p, old, new) => {
                let last = names.last(new);
                match p.resolver.taken(last, word.space, at, new) {
                    // The name of its module stands before it then.
                    true if self.rows.language.imports.own_names => {
                        p.resolver.spell(new, word.space, at)?
                    }
                    true => return Err(format!("`{last}` means something else here")),
                    false => emendo_lang::Spelled { text: last.to_owned(), imports: Vec::new() },
                }
            }
            // What names it with how much it takes is written over by itself.
            Some(i) if i.count.is_some() && names.parent(old) == names.parent(new) => {
                emendo_lang::Spelled { text: names.last(new).to_owned(), imports: Vec::new() }
            }
            // It comes through a module of the project's own, which passes the new name on, or is written from there.
            Some(i)
                if i.path() != old
                    || (names.spells_relative(i) && names.parent(old) == names.parent(new)) =>
            {
                let last = names.last(new);
                let target = names.join(&[names.parent(i.path()).as_str(), last]);
                if p.resolver.taken(last, word.space, at, &target) {
                    return Err(format!("`{last}` means something else here"));
                }
                let mut written: Vec<&str> = i.segments.iter().map(|s| s.0.as_str()).collect();
                written.pop();
                written.push(last);
                let import = ImportName { path: names.join(&written), ..i.name() };
                emendo_lang::Spelled { text: last.to_owned(), imports: vec![import] }
            }
            known => {
                let mut spelled = p.resolver.spell(new, word.space, at)?;
                let is_type = known.is_some_and(|i| i.is_type);
                spelled.imports.iter_mut().for_each(|i| i.is_type |= is_type);
                spelled
            }
        };
        let text = self.bracketed(p, word.span, spelled.text);
        Ok(Rewritten {
            splices: vec![Splice::text(word.span, text)],
            imports: spelled.imports,
            kept: Vec::new(),
        })
    }

    /// What is written for a name, in brackets where a name alone stands without some in a text.
    pub(super) fn bracketed(&self, p: &Place<'_>, at: Span, text: String) -> String {
        let bare = self.rows.language.compare.bare_code;
        let plain = text.chars().all(|c| c.is_alphanumeric() || c == '_');
        if bare.is_empty() || plain {
            return text;
        }
        let (start, end) = (at.start as usize, at.end as usize);
        let holder = p.code.tree.root().descendant_for_byte_range(start, end);
        let holder = holder.and_then(|n| n.parent()).map_or("", |n| n.kind());
        let rule = bare.iter().find(|b| b.0 == holder);
        match rule.filter(|b| !p.cx.text[..start].ends_with(b.1)) {
            Some((_, open, close)) => format!("{open}{text}{close}"),
            None => text,
        }
    }

    /// A use after other names: `tide.Station`, `Station.open`, `tidewire.client.Station`.
    pub(super) fn respelled(
        &self,
        p: &Place<'_>,
        word: &Word,
        path: &[(String, Span)],
        old: &str,
        new: &str,
    ) -> Result<Rewritten, String> {
        let language = self.rows.language;
        let names = &language.names;
        let wanted = names.segments(new);
        let first = path[0].0.as_str();
        let only = |splice: Splice| Rewritten {
            splices: vec![splice],
            imports: Vec::new(),
            kept: Vec::new(),
        };
        if names.parent(old) == names.parent(new) {
            return Ok(only(Splice::text(path[path.len() - 1].1, names.last(new))));
        }
        if p.resolver.in_own_module(new) {
            let spelled = p.resolver.spell(new, Space::Value, word.span.start)?;
            let splices = vec![Splice::text(whole(path), spelled.text)];
            return Ok(Rewritten { splices, imports: spelled.imports, kept: Vec::new() });
        }
        let written: Vec<&str> = path.iter().map(|s| s.0.as_str()).collect();
        if names.rooted && first.is_empty() {
            return Ok(only(respell(names, &path[1..], &wanted)));
        }
        let import = p.resolver.import_at(first, path[0].1.start);
        if names.full_names && import.is_none() && written == names.segments(old) {
            return Ok(only(respell(names, path, &wanted)));
        }
        // What the first word stands for is a part of the new name too.
        if let Some(import) = import {
            let own = names.segments(import.path());
            let head = if import.binds_root { &own[..1] } else { &own[..] };
            let module = ImportName {
                is_static: false,
                path: names.package(new),
                wildcard: false,
                alias: None,
                whole: true,
                is_type: false,
                passes_on: false,
                spelled: false,
                shown: String::new(),
            };
            if import.binds_root {
                // The whole module is written: `import a.b`, `a.b.c()`.
                let splice = respell(names, path, &wanted);
                let moves =
                    names.package(new) != names.package(old) && self.what != SymbolKind::Package;
                let imports = if moves { vec![module] } else { vec![import.name()] };
                return Ok(Rewritten { splices: vec![splice], imports, kept: Vec::new() });
            }
            if let Some(rest) = wanted.strip_prefix(head).filter(|r| !r.is_empty()) {
                let splice = respell(names, &path[1..], rest);
                return Ok(Rewritten {
                    splices: vec![splice],
                    imports: vec![import.name()],
                    kept: Vec::new(),
                });
            }
        }
        // As many names as stood there; what the first of them means is imported.
        let behind = path.len() - 1;
        let head = wanted.len().saturating_sub(behind).max(1);
        let symbol = names.join(&wanted[..head]);
        let rest = &wanted[head..];
        let package = names.package(new);
        let packages = !language.imports.packages.is_empty() && !names.rooted;
        if names.full_names && packages && symbol == package {
            return Ok(only(respell(names, path, &wanted)));
        }
        let mut spelled = p.resolver.spell(&symbol, Space::Type, word.span.start)?;
        if head == 1 && !names.full_names && spelled.imports.is_empty() && !rest.is_empty() {
            // A module at the outermost level is imported by itself.
            if p.resolver.taken(&symbol, Space::Value, word.span.start, &symbol) {
                return Err(format!("`{symbol}` means something else here"));
            }
            spelled.imports.push(ImportName::plain(&symbol));
        }
        let head_spans = &path[..path.len().saturating_sub(rest.len()).max(1)];
        let mut splices = vec![Splice::text(whole(head_spans), spelled.text)];
        for (segment, name) in path[head_spans.len()..].iter().zip(rest) {
            if segment.0 != **name {
                splices.push(Splice::text(segment.1, *name));
            }
        }
        Ok(Rewritten { splices, imports: spelled.imports, kept: Vec::new() })
    }

    pub(super) fn in_own_module(&self, p: &Place<'_>, old: &str) -> bool {
        let names = &self.rows.language.names;
        self.rows.language.modules.is_some()
            && !p.code.facts.module.is_empty()
            && names.parent(old) == p.code.facts.module
    }

    /// True if the symbol comes in with all names of a module, and will do so under its new name.
    pub(super) fn comes_with_all(&self, p: &Place<'_>, old: &str, new: &str) -> bool {
        let names = &self.rows.language.names;
        let (from, to) = (names.parent(old), names.parent(new));
        let wild = p.code.facts.imports.iter().any(|i| i.wildcard && !i.passes_on);
        from == to && wild && self.rows.language.modules.is_some()
    }
}

/// The place of a dotted name.
pub(super) fn whole(path: &[(String, Span)]) -> Span {
    path.iter().map(|s| s.1).reduce(Span::hull).unwrap_or(Span::at(0))
}
