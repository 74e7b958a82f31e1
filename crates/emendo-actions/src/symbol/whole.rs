//! Uses and declarations whose new name lies elsewhere, where no import brings names in: the whole path is written.

use emendo_lang::Word;
use emendo_text::{Span, Splice};

use crate::contract::{Found, NoteDraft};
use crate::meaning::{Place, Rewritten, SymbolRunner};

impl SymbolRunner {
    /// A path written as a whole, where the new name lies in another type; none where only its end changes.
    pub(super) fn by_whole_path(
        &self,
        p: &Place<'_>,
        path: &[(String, Span)],
        (old, new): (&str, &str),
    ) -> Option<Result<Rewritten, String>> {
        let names = &self.rows.language.names;
        if !names.nesting || names.parent(old) == names.parent(new) || names.is_member(new) {
            return None;
        }
        let at = path.iter().map(|s| s.1).reduce(Span::hull)?;
        let outermost = path.first().is_some_and(|first| first.0.is_empty());
        let text = match outermost {
            true => format!("{}{new}", names.separator),
            false => match p.resolver.spell(new, emendo_lang::Space::Type, at.start) {
                Ok(spelled) => spelled.text,
                Err(why) => return Some(Err(why)),
            },
        };
        let splices = vec![Splice::text(at, text)];
        Some(Ok(Rewritten { splices, imports: Vec::new(), kept: Vec::new() }))
    }

    /// True for a member of a type itself that another type has from now on, where it stands behind a name of the type.
    pub(super) fn through_owner(&self, p: &Place<'_>, word: &Word, old: &str, new: &str) -> bool {
        let names = &self.rows.language.names;
        let between = word.receiver.map(|r| Span { start: r.end, end: word.span.start.max(r.end) });
        let joined = between.is_some_and(|b| {
            let sign = p.text(b).trim().trim_end_matches(names.variable_mark);
            !names.member_mark.is_empty() && sign == names.written_mark()
        });
        let joined = joined || names.absolute && word.receiver.is_some();
        joined && names.parent(old) != names.parent(new)
    }

    /// The same, written with the type that has it now.
    pub(super) fn by_new_owner(
        &self,
        p: &Place<'_>,
        word: &Word,
        old: &str,
        new: &str,
    ) -> Result<Rewritten, String> {
        let names = &self.rows.language.names;
        let (from, to) = (names.parent(old), names.parent(new));
        let at = word.receiver.unwrap_or(word.span);
        let written = p.text(at);
        let path: Vec<&str> = written.split(names.separator).map(str::trim).collect();
        let hints = &self.rows.language.declares.hints;
        let through = hints.own.contains(&written) || hints.base.contains(&written);
        let meant = p.resolver.candidates(&path, emendo_lang::Space::Type, at.start);
        // What a type itself has, its heirs have too, by whatever they are named.
        let heir = names.of_type_itself(old) == Some(true) && p.resolver.is_type_value(at);
        if !heir && (through || meant.first() != Some(&from)) {
            return Err(format!("it is named through `{written}`, and `{to}` has it now"));
        }
        let spelled = p.resolver.spell(&to, emendo_lang::Space::Type, at.start)?;
        let splices =
            vec![Splice::text(at, spelled.text), Splice::text(word.span, names.last(new))];
        Ok(Rewritten { splices, imports: spelled.imports, kept: Vec::new() })
    }

    /// Says at a declaration why it cannot follow; true if so.
    pub(super) fn stays_declared(
        &self,
        p: &Place<'_>,
        word: &Word,
        (old, new): (&str, &str),
        out: &mut Found,
    ) -> bool {
        if word.space != emendo_lang::Space::Declared {
            return false;
        }
        let last = self.rows.language.names.last(new);
        let say = if p.resolver.is_over_variable(word.span) {
            format!(
                "`{old}` is declared here over a variable of that name: rename both to `{last}` by hand"
            )
        } else if let Some(owner) = self.has_already(p, word, last) {
            format!("`{owner}` declares `{last}` already: look which of the two is to stay")
        } else {
            return false;
        };
        out.notes.push(NoteDraft::new(word.span, say));
        true
    }

    /// The type around a member that has one of the new name too, where it can have one of a name only.
    fn has_already(&self, p: &Place<'_>, word: &Word, last: &str) -> Option<String> {
        let language = self.rows.language;
        if language.typing.calls.overloads || !self.what.member() {
            return None;
        }
        let owner = p.code.facts.owner_of(word.span)?;
        let same = |at: Span| p.resolver.is_static_at(at) == p.resolver.is_static_at(word.span);
        let other = owner.members_called(last).find(|m| m.at != word.span && same(m.at));
        other.map(|_| p.resolver.own_name(owner))
    }
}
