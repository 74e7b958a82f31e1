//! The identity of bytes: BLAKE3, shown as hexadecimal.

use std::fmt;

use serde::{Deserialize, Serialize};

/// A 128-bit digest (the first half of BLAKE3), which is plenty for telling texts apart.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Digest([u8; 16]);

impl Digest {
    /// The digest of some bytes.
    pub fn of(bytes: &[u8]) -> Self {
        let mut hasher = Hasher::new();
        hasher.raw(bytes);
        hasher.finish()
    }

    /// The first `n` hexadecimal digits.
    pub fn short(&self, n: usize) -> String {
        self.to_string().chars().take(n).collect()
    }
}

/// Collects parts into one [`Digest`]; each part is set off by its length, so parts cannot run together.
#[derive(Default)]
pub struct Hasher(blake3::Hasher);

impl Hasher {
    /// An empty hasher.
    pub fn new() -> Self {
        Self::default()
    }

    /// Adds bytes without a length before them.
    pub fn raw(&mut self, bytes: &[u8]) -> &mut Self {
        self.0.update(bytes);
        self
    }

    /// Adds one part.
    pub fn part(&mut self, bytes: impl AsRef<[u8]>) -> &mut Self {
        let bytes = bytes.as_ref();
        self.0.update(&(bytes.len() as u64).to_le_bytes());
        self.0.update(bytes);
        self
    }

    /// Adds another digest.
    pub fn digest(&mut self, digest: Digest) -> &mut Self {
        self.0.update(&digest.0);
        self
    }

    /// Adds a number.
    pub fn number(&mut self, n: u64) -> &mut Self {
        self.0.update(&n.to_le_bytes());
        self
    }

    /// The digest of all parts so far.
    pub fn finish(&self) -> Digest {
        let mut half = [0; 16];
        half.copy_from_slice(&self.0.finalize().as_bytes()[..16]);
        Digest(half)
    }
}

impl fmt::Display for Digest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.iter().try_for_each(|b| write!(f, "{b:02x}"))
    }
}

impl fmt::Debug for Digest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}

impl std::str::FromStr for Digest {
    type Err = String;
    fn from_str(s: &str) -> Result<Self, String> {
        let bad = || format!("`{s}` is not a digest");
        if s.len() != 32 || !s.is_ascii() {
            return Err(bad());
        }
        let mut out = [0; 16];
        for (i, b) in out.iter_mut().enumerate() {
            *b = u8::from_str_radix(&s[2 * i..2 * i + 2], 16).map_err(|_| bad())?;
        }
        Ok(Self(out))
    }
}

impl Serialize for Digest {
    fn serialize<S: serde::Serializer>(&self, s: S) -> Result<S::Ok, S::Error> {
        s.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for Digest {
    fn deserialize<D: serde::Deserializer<'de>>(d: D) -> Result<Self, D::Error> {
        String::deserialize(d)?.parse().map_err(serde::de::Error::custom)
    }
}
