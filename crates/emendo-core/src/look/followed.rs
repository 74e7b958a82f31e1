//! Declarations whose uses in other files change with them: all of them, or none.

use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;

use emendo_actions::World;
use emendo_actions::{Code, Declaration, FileCx, Followed};
use emendo_lang::{Index, Project as _};
use emendo_text::{Lines, RelPath, Span, Text};
use rayon::prelude::*;

use crate::look::truths::Truths;
use crate::plan::{Declared, Narrow, Plan, PlannedAction};
use crate::project::ProjectFiles;

/// Looks for the declarations that actions follow, and for their uses.
pub(crate) fn follow(
    plan: &Plan,
    among: Range<usize>,
    texts: &ProjectFiles,
    index: &Index,
    truths: &Truths,
) -> BTreeMap<usize, Vec<Followed>> {
    let files = texts.paths();
    let steps = plan.steps.iter().enumerate().filter(|s| among.contains(&s.0));
    let actions = steps.flat_map(|(s, step)| {
        step.actions.iter().enumerate().map(move |(r, action)| ((s, r), step, action))
    });
    let mut out: BTreeMap<usize, Vec<Followed>> = BTreeMap::new();
    for ((n, at), step, action) in actions.filter(|a| a.2.asks.follows) {
        let runner = action.runner.as_ref();
        let packages = &step.packages;
        let look = Looking { world: &plan.world, texts, index, action, packages };
        let narrow = Narrow::new([&action.asks.needs], &Declared::default(), &[]);
        let declared: Vec<(RelPath, Declaration)> = files
            .par_iter()
            .filter(|p| truths.cover(action, p))
            .flat_map_iter(|path| {
                let wanted =
                    |b: &[u8]| narrow.may_matter(b) && narrow.present(b).meets(&action.asks.needs);
                let found = look.read(path, &wanted, &[], &|cx| runner.declares(cx));
                found.into_iter().map(|d| (path.clone(), d))
            })
            .collect();
        let one = |(path, declaration)| Followed {
            runner: at,
            declaration,
            path,
            users: BTreeSet::new(),
            left: None,
        };
        let mut followed: Vec<Followed> = declared.into_iter().map(one).collect();
        look.uses(files, &mut followed);
        // What uses them may be a declaration that changes too.
        let mut from = 0;
        while action.asks.spreads && from < followed.len() {
            let users = followed[from..].iter().flat_map(|f| f.users.iter().cloned());
            let users: BTreeSet<RelPath> = users.filter(|p| truths.cover(action, p)).collect();
            from = followed.len();
            let found: Vec<(RelPath, Declaration)> = users
                .par_iter()
                .flat_map_iter(|path| {
                    let found = look.read(path, &|_| true, &followed, &|cx| runner.declares(cx));
                    found.into_iter().map(|d| (path.clone(), d))
                })
                .collect();
            let known = |f: &(RelPath, Declaration)| {
                followed.iter().any(|k| k.path == f.0 && k.declaration == f.1)
            };
            let mut new: Vec<Followed> = found.into_iter().filter(|f| !known(f)).map(one).collect();
            look.uses(files, &mut new);
            followed.extend(new);
        }
        out.entry(n).or_default().extend(followed);
    }
    out
}

/// What it takes to look into files.
struct Looking<'a> {
    world: &'a World,
    texts: &'a ProjectFiles,
    index: &'a Index,
    action: &'a PlannedAction,
    packages: &'a [String],
}

impl Looking<'_> {
    /// Looks into a file whose bytes are wanted.
    fn read<T>(
        &self,
        path: &RelPath,
        wanted: &dyn Fn(&[u8]) -> bool,
        followed: &[Followed],
        ask: &dyn Fn(&FileCx<'_>) -> Vec<T>,
    ) -> Vec<T> {
        let Some(language) = self.action.asks.language else { return Vec::new() };
        let Some(text) = self.texts.peek_if(path, wanted) else { return Vec::new() };
        let text = Text::new(&text);
        let at = (path, self.index.files());
        let all = Code::all(self.world, language, at, text.as_str());
        let one = |code: &Code| {
            let own = (code.text(text.as_str()), text.line_end());
            ask(&FileCx {
                code: Some(code),
                packages: self.packages,
                followed,
                ..FileCx::new(self.world, path, own, self.index)
            })
        };
        all.iter().flat_map(one).collect()
    }

    /// Adds where the declarations are used.
    fn uses(&self, files: &[RelPath], all: &mut [Followed]) {
        let Some(language) = self.action.asks.language else { return };
        if all.is_empty() {
            return;
        }
        let words: BTreeSet<String> =
            all.iter().map(|f| f.declaration.visible.name(language).to_owned()).collect();
        let narrow = Narrow::new([], &Declared { words, ..Declared::default() }, &[]);
        let found: Vec<(usize, RelPath, Option<u32>)> = files
            .par_iter()
            .filter(|p| self.world.reads(language, p))
            .flat_map_iter(|path| {
                let ask = |cx: &FileCx<'_>| {
                    let mut here = Vec::new();
                    for (i, f) in all.iter().enumerate().filter(|(_, f)| f.path != *path) {
                        let uses = self.action.runner.uses(&f.declaration, cx);
                        let line = |at: Span| Lines::new(cx.text).line(at.start);
                        if uses.any {
                            here.push((i, path.clone(), uses.left.map(line)));
                        }
                    }
                    here
                };
                self.read(path, &|b| narrow.may_matter(b), &[], &ask)
            })
            .collect();
        for (i, path, left) in found {
            all[i].left = all[i].left.take().or(left.map(|line| (path.clone(), line)));
            all[i].users.insert(path);
        }
    }
}
