//! What a file must hold so that an action may find something in it.

/// Sets of words: a text is a candidate if it holds all words of any set. No sets: nothing is one; an empty set: everything is.
#[derive(Clone, Debug, Default)]
pub struct Needs(pub Vec<Vec<String>>);

impl Needs {
    /// Needs from spellings of any kind: they are cut into words.
    pub fn of(sets: impl IntoIterator<Item = Vec<String>>) -> Self {
        let words = |set: Vec<String>| {
            let mut out: Vec<String> = set
                .iter()
                .flat_map(|s| words(s.as_bytes()).map(lossy).collect::<Vec<_>>())
                .collect();
            out.sort();
            out.dedup();
            out
        };
        Self(sets.into_iter().map(words).collect())
    }

    /// True if a text of which this says what words it holds is a candidate.
    pub fn met(&self, holds: impl Fn(&str) -> bool) -> bool {
        self.0.iter().any(|set| set.iter().all(|w| holds(w)))
    }
}

/// A word of some bytes as text.
pub fn lossy(w: &[u8]) -> String {
    String::from_utf8_lossy(w).into_owned()
}

/// The words of some bytes: runs of letters, digits, `_` and anything beyond ASCII.
pub fn words(bytes: &[u8]) -> impl Iterator<Item = &[u8]> + Clone {
    bytes.split(|b| !WORD[*b as usize]).filter(|w| !w.is_empty())
}

/// Which bytes belong to words.
pub const WORD: [bool; 256] = {
    let mut table = [false; 256];
    let mut i = 0;
    while i < 256 {
        let b = i as u8;
        table[i] = b.is_ascii_alphanumeric() || b == b'_' || b >= 0x80;
        i += 1;
    }
    table
};
