//! What a program knows of languages, formats, ecosystems and pages.

use emendo_docs::markup::{HOSTS, Host, host_among};
use emendo_docs::{ECOSYSTEMS, Ecosystem, FORMATS, Format};
use emendo_lang::Language;
use emendo_languages::LANGUAGES;
use emendo_text::{Diagnostic, RelPath, Span};

/// The languages, formats, ecosystems and kinds of pages. They are passed in: a test can bring its own.
#[derive(Clone)]
pub struct Tables {
    /// The languages, in the order in which they are offered.
    pub languages: Vec<&'static Language>,
    /// The formats of settings.
    pub formats: Vec<&'static Format>,
    /// The ecosystems of dependencies.
    pub ecosystems: Vec<&'static Ecosystem>,
    /// The kinds of pages that hold markup.
    pub hosts: Vec<&'static Host>,
}

impl Default for Tables {
    /// All that is built in.
    fn default() -> Self {
        Self {
            languages: LANGUAGES.to_vec(),
            formats: FORMATS.iter().collect(),
            ecosystems: ECOSYSTEMS.iter().collect(),
            hosts: HOSTS.iter().collect(),
        }
    }
}

impl Tables {
    /// The language with this word.
    pub fn language(&self, id: &str) -> Option<&'static Language> {
        self.languages.iter().copied().find(|l| l.id == id)
    }

    /// The language of a file, by its name.
    pub fn language_of(&self, path: &RelPath) -> Option<&'static Language> {
        self.languages.iter().copied().find(|l| l.claims(path))
    }

    /// The words for all that a file can be read as.
    pub fn read_as(&self) -> Vec<&'static str> {
        let mut out: Vec<&str> = self.languages.iter().map(|l| l.id).collect();
        out.extend(self.hosts.iter().map(|h| h.id));
        let formats: Vec<&str> =
            self.formats.iter().map(|f| f.id).filter(|f| !out.contains(f)).collect();
        out.extend(formats);
        out
    }

    /// The words of all languages, in a row.
    pub fn language_words(&self) -> String {
        self.languages.iter().map(|l| l.id).collect::<Vec<_>>().join(", ")
    }

    /// Says that no language has this word.
    pub fn unknown_language(&self, id: &str, at: Span) -> Diagnostic {
        let d = Diagnostic::error(format!("there is no language `{id}`"), at);
        // Its files are often named for the language.
        let word = id.to_lowercase();
        let meant = self
            .languages
            .iter()
            .find(|l| l.id == word || l.grammar.extensions.contains(&word.as_str()));
        if let Some(meant) = meant {
            return d.help(format!("did you mean `{}`?", meant.id));
        }
        d.help(format!("the languages are: {}", self.language_words()))
    }

    /// What holds types in a language, as `what` of a symbol says it.
    pub fn holder(&self, language: &str) -> &'static str {
        match self.language(language) {
            Some(l) if l.imports.packages.is_empty() => "module",
            _ => "package",
        }
    }

    /// The format with this word.
    pub fn format(&self, id: &str) -> Option<&'static Format> {
        self.formats.iter().copied().find(|f| f.id == id)
    }

    /// The format of a file, by its name.
    pub fn format_of(&self, path: &RelPath) -> Option<&'static Format> {
        emendo_docs::format_among(self.formats.iter().copied(), path)
    }

    /// The kind of page that a file of markup is, by its name.
    pub fn host_of(&self, path: &RelPath) -> Option<&'static Host> {
        host_among(self.hosts.iter().copied(), path)
    }

    /// The ending of a file of the language, format or kind of page with this word.
    pub fn ending_of(&self, id: &str) -> Option<&'static str> {
        let language = self.language(id).map(|l| l.grammar.extensions);
        let format = || self.format(id).map(|f| f.extensions);
        let host = || self.hosts.iter().find(|h| h.id == id).map(|h| h.extensions);
        language.or_else(format).or_else(host)?.first().copied()
    }

    /// The ecosystem with this word.
    pub fn ecosystem(&self, id: &str) -> Option<&'static Ecosystem> {
        self.ecosystems.iter().copied().find(|e| e.id == id)
    }

    /// The ecosystem of a manifest, by its name.
    pub fn ecosystem_of(&self, path: &RelPath) -> Option<&'static Ecosystem> {
        self.ecosystems.iter().copied().find(|e| (e.claims)(path))
    }

    /// The word of an ecosystem that is meant by another word for it, or by a slip of the hand.
    pub fn meant_ecosystem(&self, word: &str) -> Option<&'static str> {
        let word = word.to_lowercase();
        let called = |e: &&&'static Ecosystem| e.id == word || e.also.contains(&word.as_str());
        if let Some(found) = self.ecosystems.iter().find(called) {
            return Some(found.id);
        }
        let near = |e: &&'static Ecosystem| (strsim::damerau_levenshtein(e.id, &word), e.id);
        let (distance, meant) = self.ecosystems.iter().map(near).min()?;
        (distance <= 2 && word.len() > 4).then_some(meant)
    }

    /// The ecosystems that write a coordinate so, where few do: most names fit several.
    pub fn ecosystems_of(&self, coordinate: &str) -> Vec<&'static str> {
        let fits = |e: &&&'static Ecosystem| (e.check_coordinate)(coordinate).is_none();
        let all: Vec<&str> = self.ecosystems.iter().filter(fits).map(|e| e.id).collect();
        if all.len() <= 3 { all } else { Vec::new() }
    }

    /// The words of all ecosystems, in a row.
    pub fn ecosystem_words(&self) -> String {
        self.ecosystems.iter().map(|e| e.id).collect::<Vec<_>>().join(", ")
    }

    /// True for a file that a tool writes anew from a manifest.
    pub fn is_lock(&self, path: &RelPath) -> bool {
        self.refresh_of(path).is_some()
    }

    /// The command that writes a lock file anew; none for other files.
    pub fn refresh_of(&self, path: &RelPath) -> Option<&'static str> {
        let locks = self.ecosystems.iter().flat_map(|e| e.locks);
        locks.copied().find(|l| l.0 == path.name()).map(|l| l.1)
    }
}
