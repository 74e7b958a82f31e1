//! Finds the entries of manifests that an action is about.

use emendo_docs::{
    Ecosystem, Entry, EntryKind, Patch, Property, Raised, Side, Value as ManifestValue, Version,
    raise,
};
use emendo_lang::{Certainty, Fact};
use emendo_recipe::Scope;
use emendo_text::{Digest, RelPath, Span, Splice};

use crate::contract::{
    Asks, Draft, FileCx, Found, Needs, NoteDraft, OldCoordinate, Replaces, Runner,
};
use crate::library::around::Moving;
use crate::library::rework::{Rework, rework};

/// What an action is about.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum LibraryPart {
    Entry(EntryKind),
    Toolchain,
}

pub(crate) struct LibraryRunner {
    pub(crate) ecosystem: &'static Ecosystem,
    pub(crate) what: LibraryPart,
    pub(crate) scope: Scope,
    pub(crate) rules: Vec<LibraryRule>,
    /// All that is raised in a file is one decision.
    pub(crate) joined: bool,
    pub(crate) target: Option<String>,
    /// Only lower versions are meant.
    pub(crate) below: Option<Version>,
    /// Where entries belong.
    pub(crate) place: Option<String>,
    pub(crate) added: Option<(Digest, String)>,
    /// What is added comes beside this one: after it, or before.
    pub(crate) near: Option<(String, Side)>,
    /// Entries that stand for that one: under another name, or beside one that the step adds.
    pub(crate) anchors: Vec<String>,
    /// The step adds that one too.
    pub(crate) awaited: bool,
    /// Other libraries that the step renames to the same version.
    pub(crate) moving: Vec<Moving>,
    /// Other places where what is added belongs too.
    pub(crate) more_places: Vec<String>,
    /// A condition says where things are added.
    pub(crate) chosen: bool,
    /// The word of a repository.
    pub(crate) id: Option<String>,
    pub(crate) reworks: Vec<Rework>,
    pub(crate) remove: bool,
    pub(crate) features: Vec<(String, String)>,
    pub(crate) features_add: Vec<String>,
    pub(crate) needs: Needs,
}

pub(crate) struct LibraryRule {
    pub(crate) digest: Digest,
    pub(crate) old: String,
    pub(crate) new: Option<String>,
}

impl Runner for LibraryRunner {
    fn asks(&self) -> Asks {
        Asks {
            kind: "library",
            needs: self.needs.clone(),
            reads_manifests: true,
            replaces: {
                let goes = |r: &&LibraryRule| r.new.is_some() || self.remove;
                let entry = matches!(self.what, LibraryPart::Entry(_)) && self.below.is_none();
                let old = |r: &LibraryRule| OldCoordinate {
                    ecosystem: self.ecosystem.id,
                    coordinate: r.old.clone(),
                };
                let all = self.rules.iter().filter(goes).filter(|_| entry && self.place.is_none());
                Replaces { coordinates: all.map(old).collect(), ..Replaces::NONE }
            },
            // A family is one decision.
            rows: if self.joined {
                Vec::new()
            } else {
                let added = self.added.iter().map(|a| a.1.clone());
                self.rules.iter().map(|r| r.old.clone()).chain(added).collect()
            },
            ..Asks::NONE
        }
    }

    fn covers(&self, path: &RelPath) -> bool {
        (self.ecosystem.claims)(path) && self.scope.covers(path)
    }

    fn caution(&self, _: &RelPath, row: usize) -> Option<&'static str> {
        // A version or a name in an entry that stands is what was asked for.
        let added = row >= self.rules.len();
        match self.what {
            LibraryPart::Entry(EntryKind::Repository) => Some(crate::shared::SOURCE),
            LibraryPart::Entry(EntryKind::Plugin) if added => Some(crate::shared::BRINGS),
            _ => None,
        }
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let manifest = match (self.ecosystem.read)(cx.path, cx.text) {
            Ok(m) => m,
            Err(e) => {
                let say =
                    format!("this {} file cannot be read: {}", self.ecosystem.title, e.message);
                out.notes.push(NoteDraft::new(e.at, say));
                return;
            }
        };
        if self.what == LibraryPart::Toolchain {
            return self.toolchains(&manifest, action, out);
        }
        let before = out.drafts.len();
        for entry in &manifest.entries {
            let Some(row) = self.row(entry) else { continue };
            match self.entry_below(cx, entry) {
                Some(true) => self.entry(cx, (action, row), entry, out),
                Some(false) => {}
                None => self.unknown_version(entry, out),
            }
        }
        for mention in &manifest.mentions {
            if let Some(row) = self.row(mention)
                && self.entry_below(cx, mention) == Some(true)
            {
                self.mentioned((action, row), mention, out);
            }
        }
        for held in self.held_here(cx) {
            for p in manifest.properties.iter().filter(|p| p.name == held.name) {
                self.property(cx, action, &held, p, out);
            }
        }
        if self.joined {
            join(&mut out.drafts, before);
        }
        self.add(cx, action, &manifest, out);
    }
}

/// Makes one draft of several.
pub(crate) fn join(drafts: &mut Vec<Draft>, from: usize) {
    let rest = drafts.split_off(from);
    let mut rest = rest.into_iter();
    let Some(mut one) = rest.next() else { return };
    for d in rest {
        one.hull = one.hull.hull(d.hull);
        one.tokens.extend(d.tokens);
        one.change.splices.extend(d.change.splices);
        one.certainty = one.certainty.min(d.certainty);
        one.evidence.extend(d.evidence);
    }
    one.change.splices.sort_by_key(|s| (s.span.start, s.span.end));
    drafts.push(one);
}

impl LibraryRunner {
    pub(crate) fn row(&self, entry: &Entry) -> Option<usize> {
        if self.what != LibraryPart::Entry(entry.kind) {
            return None;
        }
        let placed = self.place.as_ref().is_none_or(|p| self.added.is_some() || entry.scope == *p);
        let plain = self.ecosystem.plain;
        let own = plain(&entry.coordinate);
        let source = entry.kind == EntryKind::Repository;
        let same = |a: &str, b: &str| a.trim_end_matches('/') == b.trim_end_matches('/');
        let fits = |r: &LibraryRule| match r.old.strip_suffix('*') {
            Some(prefix) => own.starts_with(&plain(prefix)),
            // An address, or the word that stands for it.
            None if source => {
                same(&entry.coordinate, &r.old)
                    || entry.names.get(1).is_some_and(|n| n.text == r.old)
            }
            None => own == plain(&r.old),
        };
        self.rules.iter().position(fits).filter(|_| placed)
    }

    /// An entry: its coordinate, its features, and its version if it is written here.
    fn entry(&self, cx: &FileCx<'_>, action: (usize, usize), entry: &Entry, out: &mut Found) {
        let rule = &self.rules[action.1];
        let mut splices = Vec::new();
        let unasked = entry.asks
            && entry
                .features
                .iter()
                .any(|f| self.features.contains(&(f.text.clone(), String::new())));
        if self.remove || unasked {
            let evidence = self.named(entry);
            splices.push(patched(&entry.removal));
            self.push(action, rule.digest, entry.span, splices, vec![evidence], out);
            return;
        }
        if let Some(place) = &entry.elsewhere {
            // No version decides there, and another name may not be what lies there.
            let here = ["workspace:", "file:", "link:", "portal:", ".", "/", "in_umbrella"];
            let remote = !here.iter().any(|w| place.text.starts_with(w));
            if rule.new.is_some() || remote && entry.version.is_none() && self.target.is_some() {
                let say = format!(
                    "`{}` comes from `{}`: see to it by hand",
                    entry.coordinate, place.text
                );
                out.notes.push(NoteDraft::new(entry.span, say));
                return;
            }
        }
        if let Some(new) = &rule.new {
            let parts = match entry.kind {
                EntryKind::Repository => vec![new.clone()],
                _ => (self.ecosystem.split)(new),
            };
            for (value, part) in entry.names.iter().zip(&parts) {
                if value.text != *part && !value.span.is_empty() {
                    splices.push(Splice::text(value.span, part.clone()));
                }
            }
            if entry.names.is_empty() {
                let say = format!("this is `{new}` from now on: write it by hand");
                out.notes.push(NoteDraft::new(entry.span, say));
            }
        }
        if let (EntryKind::Repository, Some(id), Some(own)) =
            (entry.kind, &self.id, entry.names.get(1))
            && own.text != *id
        {
            splices.push(Splice::text(own.span, id.clone()));
        }
        self.feature_changes(cx, entry, &mut splices, out);
        if let (Some(version), Some(target)) = (&entry.version, &self.target) {
            match version.property() {
                Some(name) => {
                    if rule.new.is_some() && self.shares(cx, name) {
                        splices.push(Splice::text(version.span, target.clone()));
                    } else if self.definer(cx.manifests, cx.path, name).is_none() {
                        let say = format!(
                            "the version of `{}` is held in `{name}`, which no file of the project defines",
                            entry.coordinate
                        );
                        out.notes.push(NoteDraft::new(version.span, say));
                    }
                }
                None => match self.raised(version, target, rule.new.is_some()) {
                    Ok(Some(text)) => {
                        if entry.sealed {
                            let say = format!(
                                "the checksums of `{}` are those of the old version: compute them again",
                                entry.coordinate
                            );
                            out.notes.push(NoteDraft::new(version.span, say));
                        }
                        splices.push(Splice::text(version.span, text));
                    }
                    Ok(None) => {}
                    Err(say) => out.notes.push(NoteDraft::new(version.span, say)),
                },
            }
        }
        rework(&self.reworks, cx.text, entry, &mut splices);
        if splices.is_empty() {
            return;
        }
        self.push(action, rule.digest, entry.span, splices, vec![self.named(entry)], out);
    }

    /// A place that names a library without asking for it: it follows a rename, and a version that stands there is raised.
    fn mentioned(&self, action: (usize, usize), entry: &Entry, out: &mut Found) {
        let rule = &self.rules[action.1];
        let mut splices = Vec::new();
        if let Some(new) = &rule.new {
            for (value, part) in entry.names.iter().zip(&(self.ecosystem.split)(new)) {
                if value.text != *part && !value.span.is_empty() {
                    splices.push(Splice::text(value.span, part.clone()));
                }
            }
        }
        if let (Some(version), Some(target)) = (&entry.version, &self.target)
            && version.property().is_none()
            && let Ok(Some(text)) = self.raised(version, target, rule.new.is_some())
        {
            splices.push(Splice::text(version.span, text));
        }
        if splices.is_empty() {
            return;
        }
        // What is left out may still come under its old name.
        let text = format!("`{}` is named here, and not asked for", entry.coordinate);
        let fact = Fact { says: Certainty::Likely, text, at: Some(entry.span) };
        self.push(action, rule.digest, entry.span, splices, vec![fact], out);
    }

    fn named(&self, entry: &Entry) -> Fact {
        let text = format!("the entry names `{}`", entry.coordinate);
        Fact { says: Certainty::Certain, text, at: Some(entry.span) }
    }

    /// A property that holds the version of a library here or in a project below.
    fn property(
        &self,
        cx: &FileCx<'_>,
        action: usize,
        held: &Held<'_>,
        property: &Property,
        out: &mut Found,
    ) {
        let value = &property.value;
        let Some(target) = self.target.as_ref().filter(|_| self.is_below(&value.text)) else {
            return;
        };
        let rule = &self.rules[held.row];
        let renamed = rule.new.is_some();
        if renamed && !held.others.is_empty() {
            // Another library means it too: the entry has a version of its own.
            return;
        }
        match self.raised(value, target, renamed) {
            Ok(Some(text)) => {
                let place = if held.user == cx.path {
                    "this file".to_owned()
                } else {
                    format!("`{}`", held.user)
                };
                let mut evidence = vec![Fact {
                    says: Certainty::Certain,
                    text: format!(
                        "`{}` holds the version of `{}` in {place}",
                        held.name, held.coordinate
                    ),
                    at: Some(value.span),
                }];
                if let Some(other) = held.others.first() {
                    evidence.push(Fact {
                        says: Certainty::Likely,
                        text: format!("`{}` holds the version of `{other}` too", held.name),
                        at: Some(value.span),
                    });
                }
                if property.overrides {
                    evidence.push(Fact {
                        says: Certainty::Likely,
                        text: format!("a profile gives `{}` a value of its own", held.name),
                        at: Some(value.span),
                    });
                }
                let splices = vec![Splice::text(value.span, text)];
                self.push((action, held.row), rule.digest, value.span, splices, evidence, out);
            }
            Ok(None) => {}
            Err(say) => out.notes.push(NoteDraft::new(value.span, say)),
        }
    }

    pub(crate) fn push(
        &self,
        action: (usize, usize),
        digest: Digest,
        hull: Span,
        splices: Vec<Splice>,
        evidence: Vec<Fact>,
        out: &mut Found,
    ) {
        if out.drafts.iter().any(|d| d.hull == hull && d.action == action) {
            return;
        }
        out.drafts.push(Draft::new(action, digest, hull, evidence).writing(splices));
    }

    /// What a written version becomes; an error says why it cannot be told.
    fn raised(
        &self,
        written: &ManifestValue,
        target: &str,
        renamed: bool,
    ) -> Result<Option<String>, String> {
        // Another library counts its versions anew.
        let lower = renamed && emendo_docs::lowest(&written.text).is_some();
        match raise(&written.text, target, self.ecosystem.exact) {
            Raised::To(text) => Ok(Some(text)),
            Raised::Stays if lower && written.text != target => {
                let op: String =
                    written.text.chars().take_while(|c| !c.is_ascii_alphanumeric()).collect();
                let text = format!("{op}{}", target.trim_start_matches(['^', '~', '>', '=', ' ']));
                Ok((text != written.text).then_some(text))
            }
            Raised::Stays => Ok(None),
            Raised::Open(why) => Err(format!("{why}: raise it to {target} by hand")),
        }
    }
}

pub(crate) fn patched(patch: &Patch) -> Splice {
    Splice::text(patch.span, patch.text.clone())
}

/// A property that holds the version of a library, in the file that defines it.
pub(crate) struct Held<'a> {
    pub(super) name: &'a str,
    pub(super) row: usize,
    pub(super) coordinate: &'a str,
    pub(super) user: &'a RelPath,
    pub(super) others: Vec<String>,
}
