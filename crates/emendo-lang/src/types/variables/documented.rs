//! Types that documentation tells, where the code does not say them. What it says is taken for right, but not for sure.

use crate::tree::Node;
use emendo_text::Span;

use crate::facts::DocType;
use crate::ground::Certainty;
use crate::language::{Intro, Origin};
use crate::resolver::Resolver;
use crate::tree::in_line;
use crate::ty::TypeAnswer;

impl<'a> Resolver<'a> {
    /// The type that documentation tells of what introduces a name.
    pub(in crate::types) fn documented(
        &self,
        name: &str,
        node: Node<'a>,
        rule: &Intro,
    ) -> Option<TypeAnswer> {
        let rules = self.language.words.doc_types.as_ref()?;
        if self.facts.doc_types.is_empty() {
            return None;
        }
        let parameter = matches!(rule.origin, Origin::Parameter | Origin::Rest);
        let mut up = Some(node);
        while let Some(n) = up {
            let function = self.is_function(n);
            if function && parameter {
                return self.told(n, rules.parameter, name, true);
            }
            let lined = self.language.writing.line_items.contains(&n.kind());
            if lined || function || parameter && n.id() == node.id() {
                let found = self.told(n, rules.value, name, false);
                if found.is_some() || lined {
                    return found;
                }
            }
            up = n.parent();
        }
        None
    }

    /// What documentation tells of the result of a function.
    pub(in crate::types) fn documented_result(&self, function: Node<'a>) -> Option<TypeAnswer> {
        let rules = self.language.words.doc_types.as_ref()?;
        self.told(function, rules.result, "", false)
    }

    /// The type of a variable that nothing declares: a comment before its use may tell.
    pub(in crate::types) fn documented_variable(&self, name: &str, at: u32) -> Option<TypeAnswer> {
        let rules = self.language.words.doc_types.as_ref()?;
        let fits = |d: &&DocType| {
            d.tag == rules.value
                && d.comment.start < at
                && d.name.is_some_and(|n| n.of(self.text) == name)
                && self.facts.same_scope(d.comment.start, at)
        };
        self.read_doc(self.facts.doc_types.iter().rfind(fits)?, name)
    }

    /// What the comment right before a node tells under a tag.
    fn told(&self, node: Node<'a>, tag: &str, name: &str, named: bool) -> Option<TypeAnswer> {
        let start = node.start_byte() as u32;
        let before = |d: &&DocType| {
            let between = Span { start: d.comment.end, end: start.max(d.comment.end) };
            d.comment.end <= start && between.of(self.text).trim().is_empty()
        };
        let same = |d: &&DocType| match d.name {
            Some(n) => name.is_empty() || n.of(self.text) == name,
            None => !named,
        };
        let fits = |d: &&DocType| d.tag == tag && before(d) && same(d);
        self.read_doc(self.facts.doc_types.iter().find(fits)?, name)
    }

    fn read_doc(&self, told: &DocType, name: &str) -> Option<TypeAnswer> {
        let written = told.ty.of(self.text);
        let ty = self.read(written, told.ty.start);
        let what = if name.is_empty() { "it" } else { name };
        let text =
            format!("the comment on line {{line}} says that `{what}` is `{}`", in_line(written));
        let answer = TypeAnswer { ty, says: Certainty::Likely, why: None };
        answer.because(text, Some(told.ty)).known()
    }

    /// A declared type, or what documentation tells where that says more: what any list holds, what a type is given.
    pub(in crate::types) fn told_more(
        &self,
        written: TypeAnswer,
        documented: impl Fn() -> Option<TypeAnswer>,
    ) -> TypeAnswer {
        let Some(rules) = &self.language.words.doc_types else { return written };
        let symbols = written.ty.symbols();
        if !written.ty.args().is_empty() || symbols.is_empty() || self.facts.doc_types.is_empty() {
            return written;
        }
        let open = symbols.iter().all(|s| rules.open.contains(&s.as_str()));
        let more =
            |told: &TypeAnswer| open || told.ty.symbols() == symbols && !told.ty.args().is_empty();
        documented().filter(more).unwrap_or(written)
    }
}
