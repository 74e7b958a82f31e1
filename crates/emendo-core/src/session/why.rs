//! Why nothing, or something, happens at a line.

use std::collections::HashSet;
use std::io;

use emendo_text::{RelPath, Text};

use crate::edits::{Edit, Leftover, Note};
use crate::project::{SkipReason, walk};
use crate::run::{Engine, FileResult, LineTrace, Mode, Sink, WhyStop};
use crate::session::Session;
use crate::session::error::SessionError;

/// What recipes do at a line, and where the others stop.
pub struct WhyLine {
    /// The file.
    pub path: RelPath,
    /// The line, from 1.
    pub line: u32,
    /// Its text.
    pub source: String,
    /// The rule that passes the file over.
    pub passed_over: Option<SkipReason>,
    /// Edits that change it.
    pub edits: Vec<Edit>,
    /// Notes at it.
    pub notes: Vec<Note>,
    /// Leftovers on it.
    pub leftovers: Vec<Leftover>,
    /// Where actions stop, the nearest first.
    pub stops: Vec<WhyStop>,
}

/// Keeps what was found in one file.
struct Only(Option<FileResult>);

impl Sink for Only {
    fn file(&mut self, file: FileResult) -> io::Result<()> {
        self.0 = Some(file);
        Ok(())
    }
}

impl Session {
    /// Asks the recipes of the last proposal or apply what they do at a line; `None` if there is neither.
    ///
    /// # Errors
    /// If the project, the file or a recipe cannot be read.
    pub fn why(&self, path: &RelPath, line: u32) -> Result<Option<WhyLine>, SessionError> {
        let Some((checked, header)) = self.last_recipes()? else { return Ok(None) };
        let decisions = self.decisions()?;
        let project = self.project().reading();
        let own = self.own()?;
        let trace = LineTrace::new(path.clone(), line);
        let only = HashSet::from([path.clone()]);
        let engine = Engine {
            own: &own,
            with: &header.with,
            only: Some(&only),
            trace: Some(&trace),
            ..Engine::new(&project, &checked.plan, &decisions, Mode::View)
        };
        let bytes = project.bytes(path)?;
        let text = Text::decode(&bytes).map(|t| t.as_str().to_owned()).unwrap_or_default();
        let source = text.lines().nth((line as usize).saturating_sub(1)).unwrap_or("");
        let mut sink = Only(None);
        let (counts, _) = engine.run(&mut sink)?;
        let under = |name: &String| match name.strip_suffix('/') {
            Some(folder) => path.as_str().strip_prefix(folder).is_some_and(|r| r.starts_with('/')),
            None => name == path.as_str(),
        };
        let passed =
            counts.passed.iter().find(|(_, all)| all.iter().any(under)).map(|(why, _)| *why);
        let read = walk(&project, &header.with).files.binary_search(path).is_ok();
        let mut out = WhyLine {
            path: path.clone(),
            line,
            source: source.to_owned(),
            passed_over: passed.or((!read).then_some(SkipReason::Ignored)),
            edits: Vec::new(),
            notes: Vec::new(),
            leftovers: Vec::new(),
            stops: Vec::new(),
        };
        if let Some(found) = sink.0 {
            out.edits = found.edits.into_iter().filter(|e| !e.derived && e.is_on(line)).collect();
            out.notes = found.notes.into_iter().filter(|n| n.line == Some(line)).collect();
            out.leftovers = found.leftovers.into_iter().filter(|l| l.line == line).collect();
        }
        out.stops = trace.into_stops();
        Ok(Some(out))
    }
}
