//! Libraries with versions, as conditions and requirements name them, in what a survey tells.

use emendo_actions::World;
use emendo_docs::{Requirement, lowest};
use emendo_text::RelPath;

use crate::project::Survey;

/// A library with versions, as `npm:tidewire >= 2`: what stands before the comparison, and the comparison.
pub(crate) fn split(wanted: &str) -> (&str, Option<Requirement>) {
    let at = wanted.find(['>', '<', '=', '!']);
    let (name, rest) = at.map_or((wanted, ""), |i| wanted.split_at(i));
    (name.trim(), Requirement::parse(rest.trim()).ok())
}

/// The manifests that name a library of these versions.
pub(crate) fn named(
    world: &World,
    told: &Survey,
    wanted: &str,
    known: Option<&(String, Vec<String>)>,
) -> Vec<RelPath> {
    let (name, versions) = split(wanted);
    let own: Vec<String> = match known {
        Some((own, coordinates)) if *own == name.to_lowercase() => coordinates.clone(),
        _ => vec![name.to_owned()],
    };
    let mut out = Vec::new();
    for library in &told.libraries {
        let plain = world.ecosystem(library.ecosystem).map(|e| e.plain);
        let fits = own.iter().any(|c| {
            let (ecosystem, rest) = match c.split_once(':') {
                Some((e, rest)) if world.ecosystem(e).is_some() => (Some(e), rest),
                _ => (None, c.as_str()),
            };
            let same = |a: &str| plain.is_some_and(|p| p(a) == p(rest));
            let last = library.coordinate.rsplit([':', '/']).next().unwrap_or("");
            ecosystem.is_none_or(|e| e == library.ecosystem)
                && (same(&library.coordinate) || ecosystem.is_none() && same(last))
        });
        let fitting = library.named.iter().filter(|_| fits).filter(|n| match &versions {
            None => true,
            Some(v) => n.version.as_deref().and_then(lowest).is_some_and(|low| v.allows(&low)),
        });
        out.extend(fitting.map(|n| n.path.clone()));
    }
    out
}
