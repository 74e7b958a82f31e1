//! Versions and requirements as libraries really write them: numbers, words and separators of any kind.

use std::cmp::Ordering;
use std::fmt;

/// A version: numbers and words in order. `3.0`, `3.0.0` and `3` are equal; a pre-release word is older than none.
#[derive(Clone, Debug)]
pub struct Version {
    text: String,
    parts: Vec<VersionPart>,
}

#[derive(Clone, Debug, PartialEq, Eq)]
enum VersionPart {
    Number(u64),
    Word(String),
}

impl Version {
    /// Reads a version; `None` if it does not begin with a number (a leading `v` is passed over).
    pub fn parse(text: &str) -> Option<Self> {
        let body = text.strip_prefix(['v', 'V']).unwrap_or(text);
        if !body.starts_with(|c: char| c.is_ascii_digit()) {
            return None;
        }
        let plain = body
            .chars()
            .all(|c| c.is_ascii_alphanumeric() || matches!(c, '.' | '-' | '_' | '+' | '~'));
        if !plain {
            return None;
        }
        let body = body.split('+').next().unwrap_or(body);
        let mut parts = Vec::new();
        let mut rest = body;
        while let Some(c) = rest.chars().next() {
            if !c.is_ascii_alphanumeric() {
                rest = &rest[1..];
                continue;
            }
            let digit = c.is_ascii_digit();
            let end =
                rest.find(|d: char| !d.is_ascii_alphanumeric() || d.is_ascii_digit() != digit);
            let (run, after) = rest.split_at(end.unwrap_or(rest.len()));
            parts.push(if digit {
                // A number too large to count is compared as text of its length by falling back to the largest.
                VersionPart::Number(run.parse().unwrap_or(u64::MAX))
            } else {
                VersionPart::Word(run.to_ascii_lowercase())
            });
            rest = after;
        }
        Some(Self { text: text.to_owned(), parts })
    }

    /// How two versions compare.
    pub fn compare(&self, other: &Self) -> Ordering {
        let most = self.parts.len().max(other.parts.len());
        let zero = VersionPart::Number(0);
        for i in 0..most {
            let order = match (self.parts.get(i), other.parts.get(i)) {
                (Some(a), Some(b)) => order(a, b),
                (Some(a), None) => tail(a, &zero),
                (None, Some(b)) => tail(b, &zero).reverse(),
                (None, None) => Ordering::Equal,
            };
            if order != Ordering::Equal {
                return order;
            }
        }
        Ordering::Equal
    }
}

/// Words that stand for a finished release, and those that come after it, as ecosystems use them.
fn rank(word: &str) -> i32 {
    match word {
        "final" | "ga" | "release" => 0,
        "sp" | "post" | "jre" | "android" => 1,
        "rc" | "cr" => -1,
        "snapshot" => -2,
        "milestone" | "m" => -3,
        "beta" | "b" => -4,
        "alpha" | "a" => -5,
        "dev" => -6,
        _ => -3,
    }
}

fn order(a: &VersionPart, b: &VersionPart) -> Ordering {
    match (a, b) {
        (VersionPart::Number(a), VersionPart::Number(b)) => a.cmp(b),
        (VersionPart::Word(a), VersionPart::Word(b)) => rank(a)
            .cmp(&rank(b))
            .then_with(|| if rank(a) == 0 { Ordering::Equal } else { a.cmp(b) }),
        // 1.0.1 is newer than 1.0-rc.
        (VersionPart::Number(_), VersionPart::Word(_)) => Ordering::Greater,
        (VersionPart::Word(_), VersionPart::Number(_)) => Ordering::Less,
    }
}

fn tail(part: &VersionPart, zero: &VersionPart) -> Ordering {
    match part {
        VersionPart::Number(_) => order(part, zero),
        VersionPart::Word(w) => rank(w).cmp(&0),
    }
}

impl fmt::Display for Version {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

impl PartialEq for Version {
    fn eq(&self, other: &Self) -> bool {
        self.compare(other) == Ordering::Equal
    }
}

/// One comparison of a requirement.
#[derive(Clone, Debug, PartialEq)]
pub struct Comparison {
    op: &'static str,
    version: Version,
}

/// A requirement: comparisons that must all hold, `>=2.4, <3`.
#[derive(Clone, Debug, PartialEq)]
pub struct Requirement(Vec<Comparison>);

const OPS: &[&str] = &[">=", "<=", "==", "!=", ">", "<", "="];

impl Requirement {
    /// Reads comparisons between commas; a bare version means equal.
    ///
    /// # Errors
    /// Names the part that is not a comparison.
    pub fn parse(text: &str) -> Result<Self, String> {
        let parts: Result<Vec<Comparison>, String> = text
            .split(',')
            .map(str::trim)
            .map(|part| {
                let op = OPS.iter().copied().find(|o| part.starts_with(o)).unwrap_or("");
                let version = Version::parse(part[op.len()..].trim())
                    .ok_or_else(|| format!("`{part}` is no version comparison"))?;
                Ok(Comparison { op, version })
            })
            .collect();
        Ok(Self(parts?))
    }

    /// True if a version meets all comparisons.
    pub fn allows(&self, version: &Version) -> bool {
        self.0.iter().all(|c| {
            let order = version.compare(&c.version);
            match c.op {
                ">=" => order != Ordering::Less,
                "<=" => order != Ordering::Greater,
                ">" => order == Ordering::Greater,
                "<" => order == Ordering::Less,
                "!=" => order != Ordering::Equal,
                _ => order == Ordering::Equal,
            }
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn versions_are_ordered_as_people_expect() {
        let list = [
            "1.0-alpha1",
            "1.0-beta",
            "1.0-SNAPSHOT",
            "1.0-rc1",
            "1.0-rc2",
            "1.0",
            "1.0.1",
            "1.2",
            "1.10",
            "2.0.0.Final",
            "31.1-jre",
        ];
        let versions: Vec<Version> = list.iter().map(|v| Version::parse(v).expect(v)).collect();
        for (i, a) in versions.iter().enumerate() {
            for (j, b) in versions.iter().enumerate() {
                assert_eq!(a.compare(b), i.cmp(&j), "{a} against {b}");
            }
        }
        assert_eq!(Version::parse("3"), Version::parse("3.0.0"));
        assert!(Version::parse("[1.0,2.0)").is_none() && Version::parse("${v}").is_none());
    }

    #[test]
    fn requirements() {
        let r = Requirement::parse(">=2.4, <3").expect("parses");
        let fits = |v: &str| r.allows(&Version::parse(v).expect(v));
        assert!(fits("2.4") && fits("2.9.9") && !fits("3.0") && !fits("2.3"));
        assert!(Requirement::parse(">=x").is_err());
    }
}
