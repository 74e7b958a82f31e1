//! What is left of the old API: places that no step covers, each with how sure that is, and the advice of its step.

use std::collections::{BTreeMap, HashMap, HashSet};

use std::sync::Arc;

use emendo_actions::{
    CoordinateWatch, KeyWatch, OldCoordinate, OldKey, PathWatch, SymbolKind, SymbolRunner,
    TextWatch, World,
};
use emendo_lang::{Certainty, Wanted};

use crate::plan::step::{About, PlanStep, Unnamed, Watch};

/// The watches for what the steps of a plan replace.
pub(crate) fn watches(world: &Arc<World>, steps: &[PlanStep]) -> Vec<Watch> {
    let mut by_kind: BTreeMap<(&str, &str, bool), (SymbolKind, About)> = BTreeMap::new();
    let mut overloads: HashMap<(&str, String), Vec<Option<Vec<Wanted>>>> = HashMap::new();
    let mut new: HashSet<String> = HashSet::new();
    let mut kept: Vec<String> = Vec::new();
    for step in steps {
        for asks in step.actions.iter().map(|a| &a.asks) {
            let Some(language) = asks.language else { continue };
            let replaces = asks.replaces.clone();
            new.extend(replaces.new);
            kept.extend(replaces.kept);
            for old in replaces.old {
                let advice = old.advice.or_else(|| step.info.why.clone());
                let kind = by_kind.entry((language.id, old.what.word(), old.resolved));
                overloads
                    .entry((language.id, old.symbol.clone()))
                    .or_default()
                    .push(old.parameters);
                let (_, all) = kind.or_insert_with(|| (old.what, BTreeMap::new()));
                all.entry(old.symbol).or_insert_with(|| (step.info.key.clone(), advice));
            }
        }
    }
    let mut out = Vec::new();
    let mut mentioned: About = BTreeMap::new();
    let mut packages: Vec<String> = Vec::new();
    for ((id, _, resolved), (what, mut about)) in by_kind {
        about.retain(|symbol, _| !new.contains(symbol));
        let Some(language) = world.language(id).filter(|_| !about.is_empty()) else { continue };
        if what == SymbolKind::Package {
            packages.extend(about.keys().cloned());
        }
        if !resolved {
            mentioned.extend(about.iter().map(|(k, v)| (k.clone(), v.clone())));
        }
        let mut symbols = Vec::new();
        for symbol in about.keys() {
            let all = overloads.get(&(id, symbol.clone())).map_or(&[][..], Vec::as_slice);
            // Where one of them means all of its overloads, the others do not matter.
            match all.iter().any(Option::is_none) {
                true => symbols.push((symbol.clone(), None)),
                false => symbols.extend(all.iter().map(|p| (symbol.clone(), p.clone()))),
            }
        }
        // Names that stay and come from elsewhere.
        let lasts: HashSet<&str> = about.keys().map(|s| language.names.last(s)).collect();
        let comes = |n: &&String| lasts.contains(language.names.last(n));
        let coming = new.iter().filter(comes).cloned().collect();
        let rest = (kept.clone(), coming);
        let runner = SymbolRunner::watch_overloads((language, &world.tables), what, symbols, rest);
        let least = if resolved { Certainty::Likely } else { Certainty::Unsure };
        out.push(Watch { least, ..Watch::new(runner, about) });
    }
    if !mentioned.is_empty() {
        let runner = TextWatch::new(
            world.tables.clone(),
            mentioned.keys().cloned().collect(),
            &packages,
            kept,
        );
        out.push(Watch::new(runner, mentioned));
    }
    out.extend(key_watches(world, steps));
    out.extend(coordinate_watch(world, steps));
    out.extend(path_watch(world, steps));
    out
}

/// The watch for libraries that are to be gone.
fn coordinate_watch(world: &Arc<World>, steps: &[PlanStep]) -> Option<Watch> {
    let (mut old, mut about): (Vec<OldCoordinate>, About) = (Vec::new(), BTreeMap::new());
    for step in steps {
        for o in step.actions.iter().flat_map(|a| &a.asks.replaces.coordinates) {
            let advice = step.info.why.clone();
            about.entry(o.coordinate.clone()).or_insert_with(|| (step.info.key.clone(), advice));
            if !old.contains(o) {
                old.push(o.clone());
            }
        }
    }
    let runner = CoordinateWatch::new(world.tables.clone(), old);
    (!about.is_empty()).then(|| Watch::new(runner, about))
}

/// The watch for paths that files are to leave.
fn path_watch(world: &Arc<World>, steps: &[PlanStep]) -> Option<Watch> {
    let (mut old, mut about) = (Vec::new(), About::new());
    for step in steps {
        for path in step.actions.iter().flat_map(|a| &a.asks.replaces.paths) {
            let advice = step.info.why.clone();
            about.entry(path.written.clone()).or_insert_with(|| (step.info.key.clone(), advice));
            old.push(path.clone());
        }
    }
    let runner = PathWatch::new(world.tables.clone(), old);
    (!about.is_empty()).then(|| Watch::new(runner, about))
}

/// What steps change without a name to look for: each step with the pattern or the key.
pub(crate) fn unnamed(steps: &[PlanStep]) -> Vec<Unnamed> {
    let of = |s: &PlanStep| {
        let all = s.actions.iter().flat_map(|a| &a.asks.replaces.unnamed);
        all.map(|what| Unnamed { step: s.info.key.clone(), what: what.clone() }).collect::<Vec<_>>()
    };
    let mut out: Vec<Unnamed> = Vec::new();
    for u in steps.iter().flat_map(of) {
        if !out.contains(&u) {
            out.push(u);
        }
    }
    out
}

/// The watches for keys of settings: one for each language, and one for all other files.
fn key_watches(world: &Arc<World>, steps: &[PlanStep]) -> Vec<Watch> {
    let (mut keys, mut about): (Vec<OldKey>, About) = (Vec::new(), BTreeMap::new());
    for step in steps {
        for old in step.actions.iter().flat_map(|a| &a.asks.replaces.keys) {
            let advice = old.advice.clone().or_else(|| step.info.why.clone());
            about.entry(old.key.clone()).or_insert_with(|| (step.info.key.clone(), advice));
            keys.push(old.clone());
        }
    }
    let becomes = |k: &OldKey| keys.iter().any(|o| o.new.as_deref() == Some(k.key.as_str()));
    let keys: Vec<OldKey> = keys.iter().filter(|k| !becomes(k)).cloned().collect();
    if keys.is_empty() {
        return Vec::new();
    }
    let languages = world.languages.iter().copied().map(Some).chain([None]);
    let watches = languages.map(|language| {
        let runner = KeyWatch::new(world.tables.clone(), language, &keys);
        Watch::new(runner, about.clone())
    });
    watches.collect()
}
