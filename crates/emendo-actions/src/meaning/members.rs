//! Declarations that follow a rename, forms of use that fit a kind of member, and calls that become reads.

use emendo_lang::{Certainty, Fact, Overload, Project, Space, Wanted, Word};
use emendo_text::{Span, Splice};

use crate::contract::SymbolKind;
use crate::meaning::place::{Place, Rewritten};
use crate::meaning::{Meant, SymbolRunner};

impl SymbolRunner {
    /// True if a word is used as a member of the kind is.
    pub(super) fn fits_form(&self, p: &Place<'_>, word: &Word, old: &str) -> bool {
        let names = &self.rows.language.names;
        let owner = p.cx.project.type_of(&names.parent(old));
        if owner.is_some_and(|t| t.read_by_calls.contains(names.last(old))) {
            // What is read as a field and by a call is one thing, whatever it is called in the recipe.
            return matches!(
                self.what,
                SymbolKind::Method | SymbolKind::Property | SymbolKind::Constant
            );
        }
        let rest = p.cx.text[word.span.end as usize..].trim_start();
        let first = rest.split(|c: char| !c.is_alphanumeric()).next().unwrap_or("");
        let called = rest.starts_with('(')
            || rest.starts_with("::<")
            || self.rows.language.words.method_before.contains(&first);
        // Where a member may be a function or hold one, a call tells nothing.
        let told_by_call =
            self.rows.language.scopes.bindings.iter().any(|b| b.space == Space::Callable)
                && !self.rows.language.typing.bare_calls;
        let read = p.resolver.is_read(word.span);
        let before = p.cx.text[..word.span.start as usize].trim_end();
        // A function is taken from what stands after; a key of what stands before it is set.
        let taken = word.receiver.is_some_and(|r| r.start > word.span.start);
        // Where labels are part of a name, what declares a function has them behind it.
        if names.labels && word.space == Space::Declared && !word.key {
            let function = rest.starts_with(['(', '<']);
            match self.what {
                SymbolKind::Method => return function,
                SymbolKind::Property => return !function,
                _ => {}
            }
        }
        match self.what {
            SymbolKind::Method if read => false,
            SymbolKind::Method if word.key => {
                let named = !self.rows.language.words.symbols.is_empty();
                taken || named || p.code.facts.is_string(word.span)
            }
            SymbolKind::Method if word.space == Space::Declared => {
                called || !told_by_call || rest.starts_with('<')
            }
            SymbolKind::Method => {
                // Where a method is named otherwise than a field, only a call or that form means one.
                let named_apart = self.rows.language.words.member_after.contains(&"::");
                let plain = !named_apart && word.space == Space::Member;
                let referred = before.ends_with("::") && names.variable_mark.is_empty();
                !told_by_call || called || plain || referred
            }
            // Functions and fields of a name are apart from each other.
            SymbolKind::Property if names.absolute => {
                word.key || read || p.resolver.is_member_word(word.span)
            }
            SymbolKind::Property if !names.variable_mark.is_empty() => {
                let marked = before.ends_with(names.variable_mark);
                !called
                    && (word.key && !p.code.facts.is_string(word.span)
                        || marked
                        || before.ends_with("->"))
            }
            SymbolKind::Property => !(told_by_call && called),
            SymbolKind::Constant if !names.variable_mark.is_empty() => {
                let declared = word.space == Space::Declared;
                !called
                    && !before.ends_with(names.variable_mark)
                    && (declared || before.ends_with("::"))
            }
            _ => true,
        }
    }

    /// True if a call, or a declaration, is that of the overload with these parameters: a fact where something is not
    /// known, none where all is.
    pub(super) fn overloaded(
        &self,
        p: &Place<'_>,
        word: &Word,
        parameters: &[Wanted],
    ) -> Option<Option<Fact>> {
        let fact = |says: Certainty, text: String| Some(Some(Fact { says, text, at: None }));
        match p.resolver.overload(word.span, parameters) {
            Overload::Is => Some(None),
            Overload::Not => None,
            Overload::Fits => {
                fact(Certainty::Likely, "its arguments fit; another overload may fit better".into())
            }
            Overload::ByCount(count) => fact(
                Certainty::Likely,
                format!(
                    "distinguished from other overloads only by the number of arguments ({count})"
                ),
            ),
            // A constant has a name of its own.
            Overload::Unknown if self.what == SymbolKind::Constant => Some(None),
            Overload::Unknown => {
                fact(Certainty::Unsure, "which overload is named here is not known".into())
            }
        }
    }

    /// A word where something is declared: the symbol itself, where the project declares it, or its constructor.
    pub(super) fn declared(&self, p: &Place<'_>, word: &Word, old: &str) -> Option<Meant> {
        let names = &self.rows.language.names;
        let facts = &p.code.facts;
        let fact = || Fact {
            says: Certainty::Certain,
            text: format!("`{}` is declared here", names.last(old)),
            at: Some(word.span),
        };
        if self.what == SymbolKind::Package {
            return None;
        }
        let own = |at: u32| facts.types_at(at).next();
        let is_type = facts
            .types
            .iter()
            .any(|t| t.at == word.span && !t.extends && p.resolver.own_name(t) == old);
        let constructor = own(word.span.start).is_some_and(|t| {
            t.at != word.span
                && p.resolver.own_name(t) == old
                && t.path.last().is_some_and(|n| n == names.last(old))
                && !names.members_need_receiver
                && !t.members.iter().any(|m| m.at == word.span)
        });
        if is_type || constructor {
            return Some(Meant::Token(vec![fact()]));
        }
        // A function or value at the top of a module, or of a type.
        let visible = p.resolver.visible(word.span, p.text(word.span))?;
        (visible.symbol == *old).then(|| Meant::Token(vec![fact()]))
    }

    /// A member that is taken apart by its name keeps the name that the code gives it.
    pub(crate) fn in_place(
        &self,
        p: &Place<'_>,
        word: &Word,
        new: &str,
    ) -> Result<Option<Rewritten>, String> {
        let language = self.rows.language;
        if !word.key {
            return Ok(None);
        }
        let short = language.declares.shorthands;
        let node = p.code.tree.node_at(word.span, short);
        let sign = self.sign_of_key(p, word.span);
        if sign.is_none() && !node.is_some_and(|n| short.contains(&n.kind())) {
            return Ok(None);
        }
        let local = word.span.of(p.cx.text);
        if local == new {
            // It is called so already.
            return Ok(None);
        }
        let splices = self.local_too(p, word.span, local, new).unwrap_or_else(|| match sign {
            Some(sign) => vec![Splice::text(sign, format!("{new}: "))],
            None => vec![Splice::text(word.span, format!("{new}: {local}"))],
        });
        Ok(Some(Rewritten { splices, imports: Vec::new(), kept: Vec::new() }))
    }

    /// The sign with which the name at a place is a key and a variable.
    fn sign_of_key(&self, p: &Place<'_>, at: Span) -> Option<Span> {
        let rules = self.rows.language.declares.keys.iter().filter(|k| !k.sign.is_empty());
        rules.clone().next()?;
        let (start, end) = (at.start as usize, at.end as usize);
        let leaf = p.code.tree.root().descendant_for_byte_range(start, end)?;
        let pair = leaf.parent()?;
        let sign = emendo_lang::tree::token_before(pair)?;
        let fits = { rules }.any(|k| k.pair == pair.kind() && k.sign == sign.kind());
        fits.then(|| emendo_lang::tree::span(sign))
    }

    /// A variable that is called as the property that it is taken from gets the new name too, where that is free.
    fn local_too(&self, p: &Place<'_>, at: Span, local: &str, new: &str) -> Option<Vec<Splice>> {
        let facts = &p.code.facts;
        let (scope, uses) = facts.uses_of_local(local, at)?;
        if !facts.is_free(new, scope) {
            return None;
        }
        let renamed = uses.iter().map(|w| {
            let mut use_ = Rewritten {
                splices: vec![Splice::text(w.span, new)],
                imports: Vec::new(),
                kept: Vec::new(),
            };
            self.keep_key(p, w, &mut use_);
            use_.splices
        });
        Some(std::iter::once(vec![Splice::text(at, new)]).chain(renamed).flatten().collect())
    }

    /// A call becomes a read: its brackets go.
    pub(crate) fn as_property(
        &self,
        p: &Place<'_>,
        word: &Word,
        written: &mut Rewritten,
    ) -> Result<(), String> {
        let text = p.cx.text;
        let rest = &text[word.span.end as usize..];
        let open = rest.len() - rest.trim_start().len();
        if self.rows.language.typing.bare_calls
            && (word.space == Space::Declared || !rest.starts_with('('))
        {
            // A call without brackets is a read already.
            return Ok(());
        }
        if !rest[open..].starts_with('(') {
            return Err("it is named here without a call".into());
        }
        let inner = &rest[open + 1..];
        let close = inner.len() - inner.trim_start().len();
        if word.space == Space::Declared {
            return self.declared_property(p, word, written);
        }
        if !inner[close..].starts_with(')') {
            return Err("it is called with arguments here".into());
        }
        let end = word.span.end as usize + open + 1 + close + 1;
        written.splices.push(Splice::text(Span::new(word.span.end as usize, end), ""));
        Ok(())
    }

    fn declared_property(
        &self,
        p: &Place<'_>,
        word: &Word,
        written: &mut Rewritten,
    ) -> Result<(), String> {
        let (before, above) = self.rows.language.writing.property;
        if !above.is_empty() {
            let start = p.cx.text[..word.span.start as usize].rfind('\n').map_or(0, |i| i + 1);
            let line = &p.cx.text[start..word.span.start as usize];
            let indent: String = line.chars().take_while(|c| c.is_whitespace()).collect();
            if p.cx.text[..start].trim_end().ends_with(above) {
                return Ok(());
            }
            let text = format!("{indent}{above}{}", p.cx.line_end);
            written.splices.push(Splice::text(Span::at(start), text));
            return Ok(());
        }
        if !before.is_empty() {
            written.splices.push(Splice::text(Span::at(word.span.start as usize), before));
            return Ok(());
        }
        Err("how it is declared here must be changed by hand".into())
    }
}
