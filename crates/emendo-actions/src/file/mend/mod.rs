//! References to files that move: what mends them, a language or a format each.

mod links;
mod loads;
mod modules;
mod moved;
mod services;
mod types;

use std::sync::Arc;

use emendo_lang::{Fact, Index, Project as _};
use emendo_text::RelPath;

use self::links::LinkMender;
pub(crate) use self::links::below;
use self::loads::LoadMender;
use self::modules::ModuleMender;
pub(crate) use self::modules::spelled;
use self::moved::ModuleMove;
pub(crate) use self::services::{RenamedType, ServiceMender, is_service};
use self::types::TypeMender;
use crate::contract::{FileMove, FileOp, Moves, Runner, Tables};

/// What mends references, and the words that files with such references hold.
#[derive(Default)]
pub struct Mended {
    /// What mends, a language or a format each.
    pub menders: Vec<Box<dyn Runner>>,
    /// Files that hold one of these may refer to what moves.
    pub words: Vec<String>,
    /// Files that must say that a module belongs to them.
    pub users: Vec<RelPath>,
    /// What makes a move less sure, by file.
    pub doubts: Vec<(RelPath, Fact)>,
}

/// The files that are moved, and where to.
fn moved(moves: &Moves) -> impl Iterator<Item = (&FileMove, &RelPath)> {
    let stands = moves.all().iter().filter(|m| m.stands());
    stands.filter_map(|m| match &m.op {
        FileOp::Move(to) => Some((m, to)),
        FileOp::Create | FileOp::Delete => None,
    })
}

/// What mends the references to the files that a step moves.
pub fn menders(tables: &Arc<Tables>, moves: &Moves, project: &Index) -> Mended {
    let mut out = Mended::default();
    if moved(moves).next().is_none() {
        return out;
    }
    let files = project.files();
    for language in tables.languages.iter().copied() {
        let claims = |p: &RelPath| language.claims(p);
        let strings = !language.names.module_separator.is_empty();
        if let Some(modules) = &language.modules {
            let own = moved(moves).filter(|(m, to)| strings || claims(&m.path) && claims(to));
            let own = own.map(|(m, to)| {
                let name = |p: &RelPath| (modules.of)(p, files);
                ModuleMove::of(m, name(&m.path), name(to))
            });
            let own: Vec<ModuleMove> = own.collect();
            if own.is_empty() {
                continue;
            }
            let last = |m: &ModuleMove| {
                let last = m.old.rsplit(['/', '.', ':']).find(|p| !p.is_empty());
                last.unwrap_or(&m.old).to_owned()
            };
            out.words.extend(own.iter().map(last));
            if !modules.statement.is_empty() {
                let parents = own.iter().map(|m| language.names.parent(&m.new));
                out.users.extend(parents.filter_map(|p| (modules.file)(&p, files)));
            }
            out.menders.push(Box::new(ModuleMender::new(language, modules, own, tables)));
        } else if language.names.files.is_some_and(|f| f.small) {
            let own = moved(moves).any(|(m, to)| claims(&m.path) && claims(to));
            if own {
                out.menders.push(Box::new(LoadMender::new(language)));
            }
        } else if language.names.files.is_some_and(|f| f.folders) {
            let own: Vec<(&FileMove, &RelPath)> =
                moved(moves).filter(|(m, to)| claims(&m.path) && claims(to)).collect();
            let mender = TypeMender::new(language, &own, (tables, project));
            let last = |m: &ModuleMove| language.names.last(&m.old).to_owned();
            out.words.extend(mender.moved.iter().map(last));
            let service = language.names.files.map_or("", |f| f.services);
            let rows = mender.moved.iter().map(|m| RenamedType {
                action: m.action,
                digest: m.digest,
                old: m.old.clone(),
                new: m.new.clone(),
                tie: Some(m.tie),
            });
            let rows: Vec<RenamedType> = rows.collect();
            if !service.is_empty() && !rows.is_empty() {
                out.menders.push(Box::new(ServiceMender::new(service, rows, false)));
            }
            out.doubts.extend(mender.doubts());
            if !mender.is_empty() {
                out.menders.push(Box::new(mender));
            }
        }
    }
    out.words.extend(moved(moves).map(|(m, _)| {
        let name = m.path.name();
        name.split('.').find(|p| !p.is_empty()).unwrap_or(name).to_owned()
    }));
    out.menders.push(Box::new(LinkMender::new(tables.clone())));
    out.words.sort();
    out.words.dedup();
    out
}
