//! Functions that are waited for: where their word stands, where one may wait, and how a call is waited for.

use crate::tree::Node;
use emendo_text::Span;

use crate::language::Waiting;
use crate::resolver::Resolver;
use crate::tree::{children, span, walk};
use crate::types::FunctionSite;

/// A function under the question whether it is waited for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct WaitHead {
    /// Its word, with the blank after, where it has it.
    pub word: Option<Span>,
    /// Where the word would stand.
    pub at: u32,
    /// The word may stand there: it has a body, or the language writes it without.
    pub written: bool,
}

/// What a place belongs to, for waiting there.
#[derive(Clone, Debug)]
pub enum Home {
    /// A function.
    Function(Box<FunctionSite>),
    /// A block in which one may wait, or the top of a file that allows it.
    Waits,
    /// Nothing that can wait, in plain words.
    Never(&'static str),
}

/// A call, and how it is waited for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct WaitSite {
    /// The call, with what it hangs on where that is looked through first.
    pub call: Span,
    /// All of what waits, with brackets that only it needs; none where nothing waits for it.
    pub waits: Option<Span>,
    /// Something hangs on the value: what waits needs brackets.
    pub bracketed: bool,
    /// There may be nothing to wait for.
    pub optional: bool,
}

impl<'a> Resolver<'a> {
    /// How functions of the language are waited for.
    pub fn waiting(&self) -> Option<&'static Waiting> {
        self.language.typing.calls.waiting.as_ref()
    }

    /// Where the word of a function that is waited for stands; a reason if it can have none.
    pub fn wait_head(&self, f: &FunctionSite) -> Result<WaitHead, String> {
        let none = || "it is not a function that can be waited for".to_owned();
        let rule = self.waiting().ok_or_else(none)?;
        let node = self.node_at(f.span).ok_or_else(none)?;
        let Some((_, before)) = rule.functions.iter().find(|r| r.0 == node.kind()) else {
            let signature = f.body.is_none() && !rule.bodiless;
            let head = WaitHead { word: None, at: f.span.start, written: false };
            return if signature { Ok(head) } else { Err(none()) };
        };
        let head_end = f.name.map_or(f.list.start, |n| n.start.max(f.span.start)).min(f.list.start);
        let name = f.name.map(|n| n.of(self.text));
        if name.is_some_and(|n| rule.never.contains(&n) || rule.barred.contains(&n)) {
            return Err(format!("`{}` is called by others, who do not wait", name.unwrap_or("")));
        }
        let child = |way: &&str| {
            let field = node.child_by_field_name(way);
            field.or_else(|| children(node).into_iter().find(|c| c.kind() == *way))
        };
        let place = before.iter().find_map(child).unwrap_or(node).start_byte() as u32;
        let mut word = None;
        let mut barred: Option<String> = None;
        walk(node, |n| {
            let at = span(n);
            let text = at.of(self.text);
            if n.child_count() == 0 && (at.end <= head_end || at.start == place) {
                if text == rule.word {
                    word = word.or(Some(at));
                } else if rule.barred.contains(&text) {
                    barred.get_or_insert_with(|| text.to_owned());
                }
            } else if rule.barred.contains(&n.kind()) {
                barred.get_or_insert_with(|| "yield".to_owned());
            }
            let nested = n.id() != node.id() && self.language.flow.nested.contains(&n.kind());
            !nested
        });
        if let Some(barred) = barred {
            return Err(format!("`{barred}` keeps it from being one that is waited for"));
        }
        let blank = |w: Span| {
            let rest = &self.text[w.end as usize..];
            let end = rest.find(|c: char| !c.is_whitespace()).unwrap_or(rest.len());
            Span { start: w.start, end: w.end + end as u32 }
        };
        let written = rule.bodiless || f.body.is_some();
        Ok(WaitHead { word: word.map(blank), at: place, written })
    }

    /// What a place belongs to.
    pub fn home(&self, at: Span) -> Home {
        let Some(rule) = self.waiting() else { return Home::Never("the language has none") };
        // A layer is code within the code around it.
        let inner = self
            .tree
            .roots_at(at)
            .map(|r| r.node.descendant_for_byte_range(at.start as usize, at.end as usize));
        let mut next: Vec<Option<Node<'a>>> = inner.collect();
        let mut up = next.pop().flatten();
        while let Some(n) = up {
            if rule.blocks.contains(&n.kind()) {
                return Home::Waits;
            }
            let function = self.language.typing.calls.functions.iter().any(|f| f.kind == n.kind());
            if function
                && let Some(f) = self.function_of(n)
                && f.body.is_some_and(|b| b.contains(at))
                && !(f.makes && self.facts.types.iter().any(|t| t.span == f.span))
            {
                return Home::Function(Box::new(f));
            }
            if function
                && n.child_by_field_name("name").is_none()
                && !rule.functions.iter().any(|r| r.0 == n.kind())
            {
                return Home::Never("a closure that is not waited for");
            }
            if self.facts.types.iter().any(|t| t.span == span(n)) {
                return Home::Never("a member's value");
            }
            up = n.parent().or_else(|| next.pop().flatten());
        }
        if rule.top { Home::Waits } else { Home::Never("the top of a file") }
    }

    /// How a call is waited for.
    pub fn wait_site(&self, call: Span) -> Option<WaitSite> {
        let rule = self.waiting()?;
        let mut node = self.node_at(call)?;
        // What is looked through first where there may be no object is one expression with the call.
        while let Some(up) = node.parent().filter(|u| {
            let links = self.language.compare.chain.iter().any(|l| l.0 == u.kind());
            let holds = self.language.compare.chain.iter().any(|l| {
                l.0 == u.kind() && u.child_by_field_name(l.1).is_some_and(|c| c.id() == node.id())
            });
            links && !holds && rule.behind.is_empty() && span(*u).end == span(node).end
        }) {
            node = up;
        }
        let optional = rule.nothing_fails && call.of(self.text).contains("?.");
        let whole = span(node);
        let mut waits = None;
        // Where there may be no object, the word stands before the object alone.
        let mut first = node;
        while let Some(inner) = first.named_child(0).filter(|c| span(*c).start == whole.start) {
            first = inner;
            if inner.kind() == rule.kind && rule.behind.is_empty() {
                let object = inner.named_child(0).map_or(whole.start, |o| span(o).start);
                let all = Span { start: object, end: whole.end };
                let hangs = WaitSite { call: all, waits: Some(whole), bracketed: false, optional };
                return Some(hangs);
            }
        }
        let mut last = node;
        while let Some(up) = last.parent() {
            let brackets = up.kind() == self.language.compare.parenthesized;
            if up.kind() == rule.kind {
                waits = Some(span(up));
                last = up;
                break;
            }
            if !brackets {
                break;
            }
            last = up;
        }
        let outer = if waits.is_some() { last } else { node };
        let hangs = |n: Node<'a>| {
            n.parent().is_some_and(|up| {
                self.language.compare.chain.iter().any(|l| {
                    l.0 == up.kind()
                        && match l.1 {
                            "" => up.named_child(0).is_some_and(|c| c.id() == n.id()),
                            f => up.child_by_field_name(f).is_some_and(|c| c.id() == n.id()),
                        }
                })
            })
        };
        let around = outer.parent().filter(|p| p.kind() == self.language.compare.parenthesized);
        if let Some(p) = around.filter(|p| waits.is_some() && hangs(*p)) {
            waits = Some(span(p));
        }
        let bracketed = rule.behind.is_empty() && hangs(node);
        Some(WaitSite { call: whole, waits, bracketed, optional })
    }

    /// True if what a call gives is taken as something to wait for, without waiting right there.
    pub fn waited_later(&self, call: Span) -> bool {
        self.is_taken(call, true)
    }

    fn is_taken(&self, call: Span, held: bool) -> bool {
        let Some((rule, node)) = self.waiting().zip(self.node_at(call)) else { return false };
        let rest = &self.text[call.end as usize..];
        let behind = rest.trim_start().strip_prefix('.').map_or("", str::trim_start);
        let end = behind.find(|c: char| !(c.is_alphanumeric() || c == '_'));
        if rule.takers.contains(&&behind[..end.unwrap_or(behind.len())]) {
            return true;
        }
        let mut child = node;
        while let Some(up) = child.parent().filter(|_| !self.is_statement(child)) {
            if let Some(callee) = self.callee_rule(up)
                && let Some(function) = crate::tree::part(up, callee.function)
                && !span(function).contains(call)
            {
                let name = span(function).of(self.text);
                let last = name.rsplit(['.', ':']).next().unwrap_or(name);
                return rule.takers.contains(&last);
            }
            let holds = self.language.typing.intros_of(up.kind()).any(|r| !r.value.is_empty());
            if holds && let Some(name) = up.named_child(0).map(span) {
                let uses = self.uses_of_param(name);
                return held
                    && uses.into_iter().any(|at| {
                        self.wait_site(at).is_some_and(|s| s.waits.is_some())
                            || self.is_taken(at, false)
                    });
            }
            child = up;
        }
        false
    }

    fn is_statement(&self, node: Node<'a>) -> bool {
        node.kind() == self.language.writing.expression_statement
            || self.language.typing.branching.blocks.contains(&node.kind())
    }

    /// True if a function waits for something, within itself and outside of these places.
    pub fn waits_beside(&self, f: &FunctionSite, gone: &[Span]) -> bool {
        let Some((rule, body)) = self.waiting().zip(f.body) else { return false };
        let mut found = false;
        let Some(node) = self.node_at(body) else { return true };
        walk(node, |n| {
            let at = span(n);
            let nested = n.id() != node.id() && self.language.flow.nested.contains(&n.kind());
            let waits = n.kind() == rule.kind && !gone.iter().any(|g| g.contains(at));
            // Loops and blocks that wait have the word themselves.
            found |= waits
                || (n.child_count() == 0 && !n.is_named() && n.kind() == rule.token && {
                    let up = n.parent().map(span);
                    n.parent().is_some_and(|p| p.kind() != rule.kind)
                        && !up.is_some_and(|u| gone.iter().any(|g| g.contains(u)))
                });
            !found && !nested
        });
        found
    }

    /// True if a member stands in for one that another type declares.
    pub fn overrides(&self, name: Span) -> bool {
        let word = name.of(self.text);
        let own = self.facts.types_at(name.start).find(|t| t.members.iter().any(|m| m.at == name));
        own.is_some_and(|t| self.supers_of(t).into_iter().any(|s| self.member(&s, word).is_some()))
    }

    /// The smallest node that covers a place.
    fn node_at(&self, at: Span) -> Option<Node<'a>> {
        let root = self.tree.roots_at(at).last()?.node;
        root.descendant_for_byte_range(at.start as usize, at.end as usize)
    }
}
