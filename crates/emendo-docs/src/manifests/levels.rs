//! How levels of toolchains are written, where that is not by their number alone.

/// A toolchain whose levels are special.
struct Levels {
    what: &'static str,
    /// Stood before the number once: Java 1.8 is 8.
    lead: &'static str,
    /// Levels are names, and are written whole.
    exact: bool,
}

const SPECIAL: &[Levels] = &[
    Levels { what: "java", lead: "1.", exact: false },
    Levels { what: "gradle", lead: "", exact: true },
];

/// The level of a toolchain without what stood before its number once.
pub fn level_of<'v>(what: &str, written: &'v str) -> &'v str {
    let lead = SPECIAL.iter().find(|l| l.what == what).map_or("", |l| l.lead);
    written.strip_prefix(lead).unwrap_or(written)
}

/// True if the levels of a toolchain are names, and are written whole.
pub fn exact_level(what: &str) -> bool {
    SPECIAL.iter().any(|l| l.what == what && l.exact)
}
