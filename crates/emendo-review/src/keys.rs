//! What can be done, by which keys: one table, from which the help, the line of keys and the settings follow.

use std::collections::BTreeMap;

/// A key as a terminal gives it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Key {
    /// Which.
    pub code: Code,
    /// Control was held.
    pub control: bool,
}

/// Which key.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[expect(missing_docs, reason = "the names on a keyboard")]
pub enum Code {
    Char(char),
    Enter,
    Escape,
    Up,
    Down,
    Left,
    Right,
    PageUp,
    PageDown,
    Home,
    End,
    Tab,
    Backspace,
    Delete,
    F(u8),
}

/// What can be done.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[expect(missing_docs, reason = "the table says what each does")]
pub enum Action {
    Up,
    Down,
    PageUp,
    PageDown,
    First,
    Last,
    Left,
    Right,
    Open,
    Back,
    Take,
    Leave,
    Later,
    Reword,
    More,
    Undo,
    Reopen,
    Next,
    Previous,
    Find,
    Filter,
    Group,
    View,
    Unfold,
    Fold,
    Why,
    Apply,
    Help,
    Quit,
    /// The alternative of this number, from 1.
    Pick(u8),
}

/// A row of the table.
pub(crate) struct ActionRow {
    pub(crate) action: Action,
    /// Its word in the settings; empty for what cannot be changed.
    pub(crate) name: &'static str,
    /// Its keys.
    pub(crate) keys: &'static [Key],
    /// What it does, for the help.
    pub(crate) says: &'static str,
}

const fn char(c: char) -> Key {
    Key { code: Code::Char(c), control: false }
}

const fn key(code: Code) -> Key {
    Key { code, control: false }
}

const fn row(
    action: Action,
    name: &'static str,
    keys: &'static [Key],
    says: &'static str,
) -> ActionRow {
    ActionRow { action, name, keys, says }
}

/// The table, in the order of the help.
pub(crate) const ACTIONS: &[ActionRow] = &[
    row(Action::Take, "take", &[char('t')], "take the edit, or tick a note or leftover off"),
    row(Action::Leave, "leave", &[char('x')], "leave the place as it is: the edit stays rejected"),
    row(Action::Later, "later", &[char(' ')], "decide later: on to the next open place"),
    row(Action::Reword, "reword", &[char('w')], "write the place in your own words"),
    row(Action::Pick(0), "", &[], "pick an alternative of a choice"),
    row(
        Action::More,
        "more",
        &[char('a')],
        "decide on more at once: all alike, the line, file, step",
    ),
    row(Action::Undo, "undo", &[char('u')], "undo the last decision, and the one before it"),
    row(Action::Reopen, "reopen", &[char('o')], "take back what was decided about this place"),
    row(Action::Down, "", &[key(Code::Down), char('j')], "down"),
    row(Action::Up, "", &[key(Code::Up), char('k')], "up"),
    row(Action::Next, "next", &[char('n')], "next open place"),
    row(Action::Previous, "previous", &[char('p')], "previous open place"),
    row(Action::Open, "", &[key(Code::Enter)], "read the place; open or fold a heading"),
    row(Action::Back, "", &[key(Code::Escape), key(Code::Backspace)], "back"),
    row(Action::PageDown, "", &[key(Code::PageDown)], "scroll the code down"),
    row(Action::PageUp, "", &[key(Code::PageUp)], "scroll the code up"),
    row(Action::Right, "", &[key(Code::Right)], "scroll the code to the right"),
    row(Action::Left, "", &[key(Code::Left)], "scroll the code to the left"),
    row(Action::First, "", &[key(Code::Home)], "to the first place"),
    row(Action::Last, "", &[key(Code::End)], "to the last place"),
    row(Action::Find, "find", &[char('/')], "find a word in places, paths and steps"),
    row(Action::Filter, "filter", &[char('f')], "list a part: what is open, unsure, a step, ..."),
    row(Action::Group, "group", &[char('g')], "list by step, or by file"),
    row(
        Action::View,
        "view",
        &[char('v')],
        "both sides, one below the other, the file before, after",
    ),
    row(Action::Unfold, "unfold", &[char('+'), char('=')], "more unchanged lines"),
    row(Action::Fold, "fold", &[char('-')], "fewer unchanged lines"),
    row(
        Action::Why,
        "why",
        &[char('y'), key(Code::Tab)],
        "why: facts and what it needs, to go there",
    ),
    row(
        Action::Apply,
        "apply",
        &[char('A')],
        "write what is accepted; first it says what will happen",
    ),
    row(Action::Help, "help", &[char('?'), key(Code::F(1))], "this help"),
    row(Action::Quit, "quit", &[char('q')], "stop; every decision is kept"),
];

/// Which keys do what.
#[derive(Clone, Debug)]
pub struct KeyMap(Vec<(Action, Vec<Key>)>);

impl Default for KeyMap {
    fn default() -> Self {
        Self(ACTIONS.iter().map(|r| (r.action, r.keys.to_vec())).collect())
    }
}

impl KeyMap {
    /// The keys with those that settings name instead: the action's word, and its keys.
    ///
    /// # Errors
    /// If a word is not an action's, a key is not one, or one key would do two things; in a sentence.
    pub fn with(changed: &BTreeMap<String, Vec<String>>) -> Result<Self, String> {
        let mut out = Self::default();
        for (name, keys) in changed {
            let Some(row) = ACTIONS.iter().find(|r| !r.name.is_empty() && r.name == name) else {
                let known: Vec<&str> =
                    ACTIONS.iter().map(|r| r.name).filter(|n| !n.is_empty()).collect();
                return Err(format!(
                    "`keys` has no action `{name}`; the actions: {}",
                    known.join(", ")
                ));
            };
            let keys = keys.iter().map(|k| read_key(k)).collect::<Result<Vec<_>, _>>()?;
            if keys.is_empty() {
                return Err(format!("`keys`: `{name}` has no key"));
            }
            out.0.iter_mut().filter(|(a, _)| *a == row.action).for_each(|a| a.1.clone_from(&keys));
        }
        let mut seen: Vec<(Key, Action)> = Vec::new();
        for (action, keys) in &out.0 {
            for key in keys {
                if let Some((_, other)) = seen.iter().find(|(k, _)| k == key) {
                    let names = (name_of(*other), name_of(*action));
                    let key = key.shown();
                    return Err(format!(
                        "`keys`: `{key}` would do two things, {} and {}",
                        names.0, names.1
                    ));
                }
                seen.push((*key, *action));
            }
        }
        Ok(out)
    }

    /// What a key does.
    pub(crate) fn action(&self, key: Key) -> Option<Action> {
        if let (Code::Char(c @ '1'..='9'), false) = (key.code, key.control) {
            return c.to_digit(10).and_then(|n| u8::try_from(n).ok()).map(Action::Pick);
        }
        self.0.iter().find(|(_, keys)| keys.contains(&key)).map(|(a, _)| *a)
    }

    /// The first key of an action.
    pub(crate) fn first(&self, action: Action) -> Option<Key> {
        self.0.iter().find(|(a, _)| *a == action)?.1.first().copied()
    }

    /// The first key of an action, as it is shown.
    pub(crate) fn shown(&self, action: Action) -> String {
        if let Action::Pick(_) = action {
            return "1-9".into();
        }
        let keys = self.0.iter().find(|(a, _)| *a == action).map(|(_, keys)| keys.as_slice());
        keys.and_then(<[Key]>::first).map_or_else(String::new, |k| k.shown())
    }

    /// All keys of an action, as they are shown.
    pub(crate) fn all(&self, action: Action) -> String {
        if let Action::Pick(_) = action {
            return "1-9".into();
        }
        let keys = self.0.iter().find(|(a, _)| *a == action).map(|(_, keys)| keys.as_slice());
        let shown: Vec<String> = keys.unwrap_or_default().iter().map(|k| k.shown()).collect();
        shown.join(" ")
    }
}

fn name_of(action: Action) -> String {
    let row = ACTIONS.iter().find(|r| r.action == action);
    row.map_or_else(String::new, |r| {
        format!("`{}`", if r.name.is_empty() { r.says } else { r.name })
    })
}

/// Keys with names.
const NAMES: &[(&str, Code)] = &[
    ("space", Code::Char(' ')),
    ("enter", Code::Enter),
    ("esc", Code::Escape),
    ("tab", Code::Tab),
    ("backspace", Code::Backspace),
    ("delete", Code::Delete),
    ("up", Code::Up),
    ("down", Code::Down),
    ("left", Code::Left),
    ("right", Code::Right),
    ("pageup", Code::PageUp),
    ("pagedown", Code::PageDown),
    ("home", Code::Home),
    ("end", Code::End),
];

/// A key by its sign or name; `ctrl-` before it for control.
fn read_key(word: &str) -> Result<Key, String> {
    let (control, rest) = match word.strip_prefix("ctrl-") {
        Some(rest) => (true, rest),
        None => (false, word),
    };
    let mut chars = rest.chars();
    let code = match (chars.next(), chars.next()) {
        (Some('1'..='9'), None) if !control => {
            return Err(format!(
                "`keys`: `{word}` picks an alternative, and cannot do anything else"
            ));
        }
        (Some(c), None) => Some(Code::Char(c)),
        _ => NAMES.iter().find(|(name, _)| *name == rest).map(|(_, code)| *code).or_else(|| {
            let n = rest.strip_prefix('f')?.parse().ok().filter(|n| (1..=12).contains(n))?;
            Some(Code::F(n))
        }),
    };
    code.map(|code| Key { code, control }).ok_or_else(|| {
        let names: Vec<&str> = NAMES.iter().map(|(name, _)| *name).collect();
        format!(
            "`keys`: `{word}` is not a key; write one character, `f1` to `f12`, {}, or `ctrl-` before one",
            names.join(", ")
        )
    })
}

impl Key {
    /// As it is shown.
    pub(crate) fn shown(self) -> String {
        let name = match self.code {
            Code::Char(' ') => "Space".into(),
            Code::Char(c) => c.to_string(),
            Code::Up => "\u{2191}".into(),
            Code::Down => "\u{2193}".into(),
            Code::Left => "\u{2190}".into(),
            Code::Right => "\u{2192}".into(),
            Code::PageUp => "PgUp".into(),
            Code::PageDown => "PgDn".into(),
            Code::Escape => "Esc".into(),
            Code::F(n) => format!("F{n}"),
            other => format!("{other:?}"),
        };
        if self.control { format!("Ctrl-{name}") } else { name }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn changed(name: &str, key: &str) -> Result<KeyMap, String> {
        KeyMap::with(&BTreeMap::from([(name.to_owned(), vec![key.to_owned()])]))
    }

    #[test]
    fn keys_are_changed_by_name_and_never_do_two_things() {
        let map = changed("take", "ctrl-y").expect("a key");
        let key = Key { code: Code::Char('y'), control: true };
        assert_eq!(map.action(key), Some(Action::Take));
        assert_eq!(map.action(char('t')), None);
        assert_eq!(map.shown(Action::Take), "Ctrl-y");
        for (name, key, says) in [
            ("grab", "t", "no action `grab`"),
            ("take", "x", "would do two things, `take` and `leave`"),
            ("take", "hyper-x", "is not a key"),
            ("take", "3", "picks an alternative"),
        ] {
            let message = changed(name, key).expect_err("refused");
            assert!(message.contains(says), "{message}");
        }
        assert!(KeyMap::with(&BTreeMap::new()).is_ok());
    }
}
