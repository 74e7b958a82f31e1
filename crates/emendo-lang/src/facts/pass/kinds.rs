//! What kinds of nodes may be, asked of the language once for each kind.

use crate::tree::Node;

use crate::language::Language;

/// What a kind of node may be, one bit for each question that is asked of every node.
pub(super) mod bits {
    pub(crate) const KNOWN: u32 = 1;
    pub(crate) const MEMBER_AFTER: u32 = 1 << 1;
    pub(crate) const IMPORT: u32 = 1 << 2;
    pub(crate) const IMPORT_LIKE: u32 = 1 << 3;
    pub(crate) const EXPORT: u32 = 1 << 4;
    pub(crate) const PACKAGE: u32 = 1 << 5;
    pub(crate) const SCOPE: u32 = 1 << 6;
    pub(crate) const TYPE: u32 = 1 << 7;
    pub(crate) const BINDS: u32 = 1 << 8;
    pub(crate) const MEMBER: u32 = 1 << 9;
    pub(crate) const WORD: u32 = 1 << 10;
    pub(crate) const TEXT: u32 = 1 << 11;
    pub(crate) const VALUE: u32 = 1 << 12;
    pub(crate) const HEAD: u32 = 1 << 13;
    pub(crate) const NAMED: u32 = 1 << 14;
    pub(crate) const SEALED: u32 = 1 << 15;
    pub(crate) const TEMPLATE: u32 = 1 << 16;
    pub(crate) const SYMBOL: u32 = 1 << 17;
    pub(crate) const BRINGS: u32 = 1 << 18;
}

/// A kind of node, with what it may be.
#[derive(Clone, Copy)]
pub(crate) struct KindFacts {
    pub(crate) name: &'static str,
    pub(crate) bits: u32,
}

impl KindFacts {
    pub(crate) fn of(language: &Language, node: Node<'_>) -> Self {
        let name = language.kind(node);
        let types = &language.declares;
        let member = types.members.iter().any(|m| m.0 == name)
            || types.parameters.iter().any(|p| p.0 == name)
            || (!name.is_empty() && [types.assigned.0, types.numbered.0].contains(&name));
        let value = is_literal(language, name);
        let all = [
            (bits::MEMBER_AFTER, language.words.member_after.contains(&name)),
            (bits::IMPORT, language.imports.kinds.contains(&name)),
            (bits::IMPORT_LIKE, language.imports.import_like.contains(&name)),
            (bits::EXPORT, language.exports.export_kinds.contains(&name)),
            (
                bits::PACKAGE,
                language.imports.packages.contains(&name)
                    || language.scopes.inner_modules.contains(&name),
            ),
            (bits::SCOPE, language.scopes.kinds.contains(&name)),
            (
                bits::TYPE,
                types.declared.iter().any(|r| r.kind == name)
                    || !types.opens_types.is_empty() && language.is_function(name),
            ),
            (bits::BINDS, language.scopes.bindings.iter().any(|b| b.kind == name)),
            (bits::MEMBER, member),
            (bits::WORD, language.words.kinds.iter().any(|w| w.0 == name)),
            (bits::TEXT, language.compare.strings.contains(&name)),
            (bits::VALUE, value),
            (bits::HEAD, language.words.heads.contains(&name)),
            (bits::NAMED, node.is_named()),
            (bits::SEALED, language.scopes.sealed.contains(&name)),
            (bits::TEMPLATE, is_template(language, name)),
            (bits::SYMBOL, language.words.symbols.iter().any(|s| s.kind == name)),
            (bits::BRINGS, !types.brings.is_empty() && types.hints.call.0 == name),
        ];
        let bits = all.iter().filter(|b| b.1).fold(bits::KNOWN, |sum, b| sum | b.0);
        Self { name, bits }
    }

    pub(crate) fn is(self, bit: u32) -> bool {
        self.bits & bit != 0
    }
}

/// True for kinds of texts that code may stand in.
fn is_template(language: &Language, kind: &str) -> bool {
    language.fragments.forms.iter().any(|f| f.0 == "template" && f.1.contains(&kind))
}

/// True for kinds of literals: what they are is not a matter of names.
pub(crate) fn is_literal(language: &Language, kind: &str) -> bool {
    const FORMS: &[&str] =
        &["number", "string", "boolean", "null", "object", "list", "template", "function"];
    language
        .fragments
        .forms
        .iter()
        .any(|(form, kinds)| FORMS.contains(form) && kinds.contains(&kind))
}
