//! Texts that load a file by its path, in languages whose files are called after types in small letters.

use emendo_lang::{Certainty, Fact, Language};
use emendo_text::{RelPath, Span, Splice};

use crate::contract::{Asks, FileCx, FileMove, Found, Runner};
use crate::file::mend::links::{below, relative};
use crate::file::mend::moved::mended;

/// Mends the paths by which code loads files.
pub(super) struct LoadMender {
    language: &'static Language,
}

/// What a text loads, and how it is written from now on.
struct Loaded<'m> {
    moved: &'m FileMove,
    new: String,
    says: Certainty,
}

impl LoadMender {
    pub(super) fn new(language: &'static Language) -> Self {
        Self { language }
    }

    /// True if a text that stands behind others is the path of a file; with `true`, one from the folder of the file itself.
    fn loads(&self, before: &str) -> Option<bool> {
        let line = before.rsplit('\n').next().unwrap_or(before).trim_start();
        let words: Vec<&str> = line.split([' ', '(', '.']).filter(|w| !w.is_empty()).collect();
        let own = |w: &&str| self.language.exports.loads_near.contains(w);
        let any = |w: &&str| self.language.exports.loads.contains(w);
        if words.iter().any(own) {
            return Some(true);
        }
        words.iter().any(any).then_some(false)
    }

    /// What a path is that code loads.
    fn loaded<'m>(&self, cx: &FileCx<'m>, written: &str, near: bool) -> Option<Loaded<'m>> {
        let moves = cx.moves?;
        let endings = self.language.grammar.extensions;
        let ended = endings.iter().find(|e| written.ends_with(&format!(".{e}")));
        let whole = |path: &str| match ended {
            Some(_) => path.to_owned(),
            None => format!("{path}.{}", endings[0]),
        };
        let without = |path: &str| match ended {
            Some(_) => path.to_owned(),
            None => path.rsplit_once('.').map_or(path, |p| p.0).to_owned(),
        };
        if near {
            let from = cx.path.folder();
            let path = RelPath::new(&below(from, &whole(written))?).ok()?;
            let (moved, target) = (moves.of(&path)?, moves.target(&path)?);
            let to = moves.target(cx.path).unwrap_or(cx.path).folder();
            let new = without(&relative(to, target.as_str()));
            let new = if written.starts_with("./") && !new.starts_with("../") {
                format!("./{new}")
            } else {
                new
            };
            return Some(Loaded { moved, new, says: Certainty::Certain });
        }
        if written.is_empty() || written.contains([' ', '#', '{']) || written.starts_with('.') {
            return None;
        }
        let end = whole(written);
        moves.all().iter().find_map(|moved| {
            let lead = moved.path.as_str().strip_suffix(&end)?;
            let target = moved.target()?.as_str().strip_prefix(lead)?;
            let root = lead.is_empty() || lead.ends_with('/');
            // Files are looked for below `lib` most often.
            let says = if lead.ends_with("lib/") { Certainty::Certain } else { Certainty::Likely };
            root.then(|| Loaded { moved, new: without(target), says })
        })
    }
}

impl Runner for LoadMender {
    fn asks(&self) -> Asks {
        Asks { kind: "file", language: Some(self.language), ..Asks::NONE }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.language.claims(path)
    }

    fn find(&self, cx: &FileCx<'_>, _: usize, out: &mut Found) {
        let Some(code) = cx.code else { return };
        for at in code.facts.strings.iter().copied() {
            let before = &cx.text[..at.start as usize];
            let Some(near) = self.loads(before) else { continue };
            let written = at.of(cx.text);
            let Some(loaded) = self.loaded(cx, written, near) else { continue };
            if loaded.new == written {
                continue;
            }
            let text = format!("it loads the file `{}`", loaded.moved.path);
            let fact = Fact { says: loaded.says, text, at: Some(at) };
            let splices = vec![Splice::text(Span { start: at.start, end: at.end }, loaded.new)];
            out.drafts.push(mended(loaded.moved, at, fact, splices));
        }
    }
}
