//! What the file has where neither `old` nor `new` says anything: separators behind last items, question marks before dots,
//! type arguments. It stays with what it belongs to.

use emendo_lang::{Certainty, Fact};
use emendo_text::Span;

use crate::model::Key;
use crate::write::nest::{Nest, is_open};
use crate::write::token::{NewToken, OldToken};
use crate::write::writer::Writer;

impl Writer<'_> {
    /// A separator behind the last item of a list in the file is a token of the old code, and stays behind the last
    /// item of the list that takes it over. Tells whether there is one.
    pub(super) fn trailing(&mut self, anchors: &[(usize, usize)]) -> bool {
        let (old, new) =
            (Nest::of(self.old.iter().map(|t| &t.key)), Nest::of(self.new.iter().map(|t| &t.key)));
        let heirs = self.tokens(anchors).heirs(&old, &new);
        let (mut come, mut stay) = (Vec::new(), Vec::new());
        for list in old.pairs() {
            let Some(end) = old.partner[list] else { continue };
            let Some(sign) = self.sign_between(self.old[end - 1].at.end, self.old[end].at.start)
            else {
                continue;
            };
            let key = Key::Text(sign.of(self.text).to_owned());
            come.push((
                end,
                OldToken { key: key.clone(), at: sign, gap: String::new(), place: None },
            ));
            let heir = heirs.iter().find(|h| h.0 == list).map(|h| h.1);
            let last = heir.and_then(|h| new.partner[h].filter(|end| *end > h + 1));
            stay.extend(last.filter(|l| self.takes_sign(*l)).map(|end| (end, key)));
        }
        // Keyed items that get lines of their own end as those around them do.
        if let Some(Key::Text(sign)) = come.first().map(|c| &c.1.key)
            && sign == ","
        {
            let tokens = self.tokens(anchors);
            let is = |i: usize, t: &str| matches!(&self.new[i].key, Key::Text(k) if k == t);
            let keyed = |open: usize, end: usize| {
                (open + 1..end).any(|i| new.around[i] == open && is(i, ":"))
            };
            for open in new.pairs().filter(|o| is(*o, "{")) {
                let end =
                    new.partner[open].filter(|end| keyed(open, *end) && self.takes_sign(*end));
                let end = end.filter(|_| tokens.opens_up(&old, &new, open));
                stay.extend(end.map(|end| (end, Key::Text(",".into()))));
            }
        }
        stay.sort_by_key(|s| std::cmp::Reverse(s.0));
        stay.dedup_by_key(|s| s.0);
        for (end, key) in stay {
            self.new.insert(end, NewToken::separator(key));
        }
        let any = !come.is_empty();
        come.sort_by_key(|c| std::cmp::Reverse(c.0));
        for (end, token) in come {
            self.old.insert(end, token);
        }
        any
    }

    /// True if a separator may follow the last item of a list of `new`, and none does.
    fn takes_sign(&self, end: usize) -> bool {
        let last = &self.new[end - 1];
        !last.separates && !last.separator && !last.final_item
    }

    /// A separator between two places, outside of comments.
    fn sign_between(&self, start: u32, end: u32) -> Option<Span> {
        let gap = Span { start, end: end.max(start) };
        let text = gap.of(self.text);
        let signs = self.language.compare.separators.iter();
        let mut all = signs.flat_map(|s| {
            text.match_indices(s).map(|(i, s)| {
                let at = start as usize + i;
                Span::new(at, at + s.len())
            })
        });
        let comments = &self.resolver.facts.comments;
        all.find(|at| {
            let i = comments.partition_point(|c| c.end <= at.start);
            comments.get(i).is_none_or(|c| !c.contains(*at))
        })
    }

    /// The question mark before a dot that goes: it stays before what is called or taken there, where the language
    /// writes that; else it is lost. Tells whether one comes.
    pub(super) fn question_marks(&mut self, anchors: &[(usize, usize)]) -> bool {
        let mut come = Vec::new();
        for (i, old) in self.old.iter().enumerate() {
            let dot = matches!(&old.key, Key::Text(t) if t == ".");
            let marked = self.text[..old.at.end as usize].trim_end_matches('.').ends_with('?');
            if !dot || !marked || anchors.iter().any(|(o, _)| *o == i) {
                continue;
            }
            let kept = i.checked_sub(1).and_then(|b| anchors.iter().find(|a| a.0 == b));
            let next = kept.map(|(_, n)| n + 1).filter(|n| *n < self.new.len());
            let mark = self.language.writing.optional_call;
            match next.filter(|n| !mark.is_empty() && is_open(&self.new[*n].key)) {
                Some(next) => come.push(next),
                None => self.out.facts.push(Fact {
                    says: Certainty::Unsure,
                    text: "`?.` stands here, and has no place in what is written".to_owned(),
                    at: Some(old.at),
                }),
            }
        }
        let any = !come.is_empty();
        for next in come.into_iter().rev() {
            let key = Key::Text(self.language.writing.optional_call.to_owned());
            self.new.insert(next, NewToken { separates: false, ..NewToken::separator(key) });
        }
        any
    }

    /// Type arguments that `old` leaves out stay at the name that they belong to, or at the one that stands in its place;
    /// else they are lost. Tells whether any come.
    pub(super) fn type_arguments(&mut self, anchors: &[(usize, usize)]) -> bool {
        let (mut come, mut stay) = (Vec::new(), Vec::new());
        let calls = |keys: &mut dyn Iterator<Item = &Key>| {
            keys.filter(|k| matches!(k, Key::Text(t) if t == "(")).count()
        };
        let more = calls(&mut self.new.iter().map(|t| &t.key))
            > calls(&mut self.old.iter().map(|t| &t.key));
        for at in &self.m.type_arguments {
            let next = self.old.partition_point(|t| t.at.start < at.start);
            let key = Key::Text(at.of(self.text).to_owned());
            match self.place_of_arguments(next, anchors) {
                Some((place, same)) => {
                    stay.push((place, key.clone()));
                    if !same {
                        // Which of several calls they are for is open.
                        let says = if more { Certainty::Unsure } else { Certainty::Likely };
                        self.tell(*at, says, "belongs to another name now");
                    }
                }
                None if at.of(self.text).chars().any(char::is_alphanumeric) => {
                    self.tell(*at, Certainty::Unsure, "has no place in what is written");
                }
                None => {}
            }
            come.push((next, OldToken { key, at: *at, gap: String::new(), place: None }));
        }
        stay.sort_by_key(|s| std::cmp::Reverse(s.0));
        for (place, key) in stay {
            self.new.insert(place, NewToken { separates: false, ..NewToken::separator(key) });
        }
        let any = !come.is_empty();
        come.sort_by_key(|c| std::cmp::Reverse(c.0));
        for (next, token) in come {
            self.old.insert(next, token);
        }
        any
    }

    /// Where in `new` the type arguments before an old token go, and whether the name there is the same.
    fn place_of_arguments(&self, next: usize, anchors: &[(usize, usize)]) -> Option<(usize, bool)> {
        let heir = |o: usize| anchors.iter().find(|a| a.0 == o).map(|a| a.1);
        let text = |key: &Key| if let Key::Text(t) = key { t.clone() } else { String::new() };
        let before = next.checked_sub(1)?;
        let name_behind =
            self.language.words.member_after.contains(&text(&self.old[before].key).as_str());
        if name_behind {
            // `.<A>name(`: they stand between the dot and the name.
            let dot = heir(before)?;
            return Some((dot + 1, heir(next) == Some(dot + 1)));
        }
        let behind = |n: usize| self.new.get(n + 1).map(|t| text(&t.key));
        let own = self.old.get(next).map(|t| text(&t.key));
        if let Some(name) = heir(before) {
            return (behind(name) == own).then_some((name + 1, true));
        }
        let end = heir(next)?;
        let name = self.new.get(end.checked_sub(1)?)?;
        let is_name = match &name.key {
            Key::Name { .. } => true,
            Key::Text(t) => t.chars().all(|c| c.is_alphanumeric() || c == '_'),
            _ => false,
        };
        is_name.then_some((end, false))
    }

    fn tell(&mut self, at: Span, says: Certainty, what: &str) {
        let text = format!("`{}` {what}", at.of(self.text));
        self.out.facts.push(Fact { says, text, at: Some(at) });
    }
}

impl Writer<'_> {
    /// Brackets of the file around a list that the pattern leaves out: they stay where `new` ends in such a list too.
    pub(super) fn brackets(&mut self, anchors: &[(usize, usize)]) -> bool {
        for (open, close) in &self.m.brackets {
            let first = self.old.iter().position(|t| t.at.start >= open.end);
            let heir = first.and_then(|f| anchors.iter().find(|(o, _)| *o == f)).map(|a| a.1);
            let bare = |n: &usize| {
                let name = n.checked_sub(1).map(|b| &self.new[b].key);
                let word = matches!(name, Some(Key::Name { .. }))
                    || matches!(name, Some(Key::Text(t)) if t.ends_with(|c: char| c.is_alphanumeric() || "?!_".contains(c)));
                word && !self.new[*n].gap.is_empty() && close.end == self.m.span.end
            };
            if let Some(n) = heir.filter(bare) {
                self.new[n].gap.clear();
                self.new.insert(n, NewToken::separator(Key::Text("(".to_owned())));
                self.new.push(NewToken::separator(Key::Text(")".to_owned())));
            }
            for (at, sign) in [(*open, "("), (*close, ")")] {
                let place = self.old.partition_point(|t| t.at.start < at.start);
                let key = Key::Text(sign.to_owned());
                self.old.insert(place, OldToken { key, at, gap: String::new(), place: None });
            }
        }
        !self.m.brackets.is_empty()
    }

    /// A new key beside a sign that stays gets the sign before it that goes with that, or loses it.
    pub(super) fn signed_keys(&mut self, anchors: &[(usize, usize)]) {
        let mut signed = self.language.compare.keyed.iter().map(|k| k.signed);
        let Some((_, sign, between)) = signed.rfind(|s| !s.2.is_empty()) else { return };
        for (o, n) in anchors {
            let (stands, wanted) = (self.old[*o].at.of(self.text), &self.new[*n].key);
            let Key::Text(wanted) = wanted else { continue };
            let kept = n.checked_sub(1).is_none_or(|key| anchors.iter().any(|a| a.1 == key));
            if stands == wanted || kept || ![stands, wanted.as_str()].contains(&between) {
                continue;
            }
            let key = &mut self.new[n - 1];
            key.text = match stands == between {
                true => format!("{sign}{}", key.text),
                false => key.text.strip_prefix(sign).unwrap_or(&key.text).to_owned(),
            };
        }
    }
}
