//! What a written version becomes when a library is raised: its operators, its number of parts and its pins stay.

use crate::version::Version;

/// What is to be written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Raised {
    /// This text.
    To(String),
    /// Nothing: it is new enough, or says no version.
    Stays,
    /// Nobody can tell: why.
    Open(String),
}

/// Operators of all ecosystems, the longer ones first.
const OPERATORS: &[&str] = &["===", "~>", "~=", ">=", "<=", "==", "!=", "^", "~", ">", "<", "="];

/// A version with the operator before it.
struct VersionBound<'t> {
    /// Where the version stands in the text.
    start: usize,
    op: &'static str,
    version: &'t str,
}

/// The version that a text begins to allow; `None` if it names none.
pub fn lowest(written: &str) -> Option<Version> {
    let all = bounds(written);
    let upper = |b: &&VersionBound<'_>| matches!(b.op, "<" | "<=" | "!=");
    let lower = all.iter().find(|b| !upper(b))?;
    Version::parse(&plain(lower.version))
}

/// A version without what stands for any number.
fn plain(version: &str) -> String {
    let parts = version.split('.').take_while(|p| !any_number(p));
    parts.collect::<Vec<_>>().join(".")
}

fn any_number(part: &str) -> bool {
    matches!(part, "x" | "X" | "*" | "+")
}

fn bounds(written: &str) -> Vec<VersionBound<'_>> {
    let mut out = Vec::new();
    let mut at = 0;
    while at < written.len() {
        let rest = &written[at..];
        let skip = rest.len()
            - rest.trim_start_matches([' ', ',', '[', '(', ']', ')', '\t', '"', '\'']).len();
        if skip > 0 {
            at += skip;
            continue;
        }
        let op = OPERATORS.iter().copied().find(|o| rest.starts_with(*o)).unwrap_or("");
        let body = &rest[op.len()..];
        let lead = body.len() - body.trim_start().len();
        let start = at + op.len() + lead;
        let version = &written[start..];
        let end = version.find([' ', ',', ']', ')', '|', ';', '"', '\'']).unwrap_or(version.len());
        if end == 0 {
            at = start + version.chars().next().map_or(1, char::len_utf8);
            continue;
        }
        // Words such as `and` say how bounds go together.
        let word = version.starts_with(|c: char| c.is_ascii_alphabetic())
            && !version.starts_with(['v', 'x', 'X']);
        if !(word && op.is_empty()) {
            out.push(VersionBound { start, op, version: &version[..end] });
        }
        at = start + end;
    }
    out
}

/// Raises what is written to a version. `exact`: versions are names, and are written whole.
pub fn raise(written: &str, target: &str, exact: bool) -> Raised {
    let text = written.trim();
    let numbered = text.contains(|c: char| c.is_ascii_digit());
    let flagged = text.starts_with(|c: char| c.is_ascii_digit() || "~^<>=v".contains(c));
    if flagged && text.contains('@') && !text.contains([':', '/']) {
        return Raised::Open(format!("`{text}` is more than a version"));
    }
    if text.is_empty() || !numbered || text.contains([':', '/', '@', '$', '{']) {
        // Nothing, a place, a variable, a word such as `latest`.
        return match text.contains(['$', '{']) {
            true => Raised::Open(format!("`{text}` is put together from something else")),
            false => Raised::Stays,
        };
    }
    if text.contains("dev") && (text.contains(".x-dev") || text.ends_with("-dev")) {
        return Raised::Open(format!("`{text}` follows a branch"));
    }
    if text.contains(" or ") || text.contains(" as ") {
        return Raised::Open(format!("`{text}` allows several versions"));
    }
    // One version between brackets is that one and no other.
    if let Some(one) = text.strip_prefix('[').and_then(|t| t.strip_suffix(']'))
        && !one.contains(',')
    {
        return match raise(one, target, true) {
            Raised::To(new) => Raised::To(format!("[{new}]")),
            other => other,
        };
    }
    if text.starts_with(['[', '(']) || text.contains("..") {
        return Raised::Open(format!("`{text}` is a range, not a plain version"));
    }
    let wanted = target.trim_start_matches(['^', '~', '>', '=', '<', ' ']);
    let first = wanted.split([',', ' ']).next().unwrap_or(wanted);
    let Some(new) = Version::parse(first) else {
        return Raised::Open(format!("`{target}` is no version"));
    };
    let Some(old) = lowest(text) else {
        return Raised::Open(format!("the version `{text}` is not a plain version"));
    };
    if old.compare(&new).is_ge() {
        return Raised::Stays;
    }
    // One with an operator is written as it is.
    if wanted.len() < target.trim().len() || target.contains(',') {
        return if text == target { Raised::Stays } else { Raised::To(target.to_owned()) };
    }
    if text.contains("||") || text.contains(" - ") {
        return Raised::Open(format!("`{text}` allows several versions"));
    }
    let all = bounds(text);
    let mut out = text.to_owned();
    for b in all.iter().rev() {
        let new = match b.op {
            "!=" => return Raised::Open(format!("`{text}` leaves versions out")),
            "<" | "<=" => match upper(b, &old, first) {
                Some(v) => v,
                None => return Raised::Open(format!("the upper end of `{text}` is to be chosen")),
            },
            // A pin stays one: the whole version.
            "==" | "===" => pinned(b.version, first),
            "=" => first.to_owned(),
            _ if exact && !b.version.ends_with(['+', '*']) => first.to_owned(),
            _ => shortened(b.version, first),
        };
        out.replace_range(b.start..b.start + b.version.len(), &new);
    }
    if out == text { Raised::Stays } else { Raised::To(out) }
}

fn pinned(old: &str, new: &str) -> String {
    if old.ends_with(".*") { shortened(old, new) } else { new.to_owned() }
}

/// A version with as many parts as another, never more than it has itself; what stands for any number stays.
fn shortened(old: &str, new: &str) -> String {
    let v = if old.starts_with('v') && !new.starts_with('v') { "v" } else { "" };
    let parts: Vec<&str> = old.trim_start_matches('v').split('.').collect();
    // What comes after the numbers belongs to the last of them.
    let more: Vec<&str> = new.split('.').collect();
    let pre = new.contains(['-', '+']) || new.contains(|c: char| c.is_ascii_alphabetic());
    if pre || more.len() <= parts.len() && !parts.iter().any(|p| any_number(p)) {
        return format!("{v}{new}");
    }
    let one = |(i, p): (usize, &&str)| {
        if any_number(p) { (*p).to_owned() } else { more.get(i).copied().unwrap_or("0").to_owned() }
    };
    let out: Vec<String> = parts.iter().enumerate().map(one).collect();
    format!("{v}{}", out.join("."))
}

/// The next version that is not allowed any more, as far from the new one as it was from the old.
fn upper(bound: &VersionBound<'_>, old: &Version, new: &str) -> Option<String> {
    let numbers = |t: &str| -> Option<Vec<u64>> { t.split('.').map(|p| p.parse().ok()).collect() };
    let limit = numbers(bound.version)?;
    let low: Vec<u64> = numbers(old.to_string().trim_start_matches('v')).unwrap_or_default();
    // Which part is one higher than that of the lower end.
    let at = (0..limit.len()).find(|i| limit[*i] != low.get(*i).copied().unwrap_or(0))?;
    let next = limit[at] == low.get(at).copied().unwrap_or(0) + 1;
    let zero = limit[at + 1..].iter().all(|n| *n == 0);
    let target: Vec<u64> = new.split('.').map_while(|p| p.parse().ok()).collect();
    if bound.op != "<" || !next || !zero || target.is_empty() {
        return None;
    }
    let mut out: Vec<u64> = (0..=at).map(|i| target.get(i).copied().unwrap_or(0)).collect();
    *out.last_mut()? += 1;
    out.resize(limit.len(), 0);
    Some(out.iter().map(u64::to_string).collect::<Vec<_>>().join("."))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn operators_parts_and_pins_stay() {
        let to = |written: &str, exact: bool| match raise(written, "3.0.2", exact) {
            Raised::To(t) => t,
            Raised::Stays => "stays".to_owned(),
            Raised::Open(_) => "open".to_owned(),
        };
        for (written, wanted) in [
            ("^2.4.1", "^3.0.2"),
            ("~2.4", "~3.0"),
            ("2", "3"),
            ("2.4", "3.0"),
            ("2.x", "3.x"),
            ("2.4.*", "3.0.*"),
            ("==2.4", "==3.0.2"),
            ("=2.4.1", "=3.0.2"),
            (">=2.4,<3", ">=3.0,<4"),
            (">=2.4.0, <2.5.0", ">=3.0.2, <3.1.0"),
            (">= 2.4 < 3.0.0", ">= 3.0 < 4.0.0"),
            ("~> 2.4", "~> 3.0"),
            ("~=2.4", "~=3.0"),
            ("[2.4,3.0)", "open"),
            ("2.0\"..<\"3.0", "open"),
            ("v2.4.1", "v3.0.2"),
            ("latest", "stays"),
            ("*", "stays"),
            ("workspace:*", "stays"),
            ("git+https://x/y#v2", "stays"),
            ("^3.1", "stays"),
            ("4", "stays"),
            ("^1 || ^2", "open"),
            ("!=2.1,>=2", "open"),
            ("${v}", "open"),
            ("2.0 - 2.9", "open"),
        ] {
            let got = to(written, false);
            assert_eq!(got, wanted, "{written}");
        }
        assert_eq!(to("2.4", true), "3.0.2");
        assert_eq!(raise("^2", ">=3.0,<4", false), Raised::To(">=3.0,<4".into()));
        assert_eq!(raise("2.4.0", "3.0.0-rc.1", false), Raised::To("3.0.0-rc.1".into()));
    }
}
