//! The rows in which a file is shown around one of its places.

use emendo_core::{Edit, FileRecord, Standing};
use emendo_text::{Hunk, LineKind, Span};

use crate::place::text::FileText;

/// How a file is laid out.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Sides {
    /// Old on the left, new on the right.
    Beside,
    /// What goes above what comes.
    Below,
    /// Only as it will be.
    After,
    /// Only as it is.
    Before,
}

/// A row of a place.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum CodeRow {
    /// So many unchanged lines are not shown.
    Fold(u32),
    /// A line of the file, by its number in the old text, the new, or both.
    Line {
        old: Option<u32>,
        new: Option<u32>,
        /// It stands otherwise in the other text.
        changed: bool,
        /// The place that is looked at changes it.
        mine: bool,
    },
    /// Texts that an edit that is not in would write, side by side: a label, or a line each.
    Would { texts: Vec<WouldText>, label: bool },
}

/// A line that an edit would write, and the bytes of it that differ from the line as it is.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct WouldText {
    pub(crate) text: String,
    pub(crate) differs: (usize, usize),
}

/// What is asked of the rows.
pub(crate) struct Window<'a> {
    pub(crate) sides: Sides,
    /// Unchanged lines around what is shown.
    pub(crate) context: u32,
    /// The edit that is looked at, as its index in the record.
    pub(crate) edit: Option<usize>,
    /// Another line of the old text that is looked at.
    pub(crate) line: Option<u32>,
    /// The label of an alternative that was picked.
    pub(crate) picked: Option<&'a str>,
    /// Columns that there are.
    pub(crate) width: usize,
}

/// The rows, and which of them are the place.
pub(crate) fn rows(
    record: Option<&FileRecord>,
    text: &FileText,
    w: &Window<'_>,
) -> (Vec<CodeRow>, (usize, usize)) {
    let mut out = Builder { text, w, rows: Vec::new(), place: None };
    let edit = w.edit.and_then(|i| record?.edits.get(i));
    let hunks = record.map_or(&[][..], |r| r.hunks.as_slice());
    let here = |i: usize| hunks.iter().flat_map(|h| &h.runs).any(|r| r.by.contains(&(i as u32)));
    let inside = w.edit.is_some_and(here);
    let whole = edit.filter(|e| e.file.is_some() && !inside);
    if let Some(e) = whole {
        out.of_file(e);
    }
    // What no changed line shows is shown below its line.
    let apart = edit.filter(|_| !inside && whole.is_none());
    let mut focus: Vec<u32> = w.line.into_iter().collect();
    if let Some(e) = apart {
        focus.push(e.line);
        focus.extend(e.origin.map(|o| text.old.line_of(o.end.max(o.start + 1) - 1)));
    }
    let after = apart.and_then(|_| focus.iter().max().copied());
    let would = Would { after, edit: apart };
    match w.sides {
        Sides::After => out.whole(true, hunks),
        Sides::Before => out.whole(false, hunks),
        Sides::Beside | Sides::Below => out.changes(hunks, &focus, &would),
    }
    if matches!(w.sides, Sides::After | Sides::Before) {
        out.rows_for_line(&focus);
    }
    let place = out.place.unwrap_or((0, 1));
    (out.rows, place)
}

/// What stands below a line: what an edit would write that is not in.
struct Would<'a> {
    after: Option<u32>,
    edit: Option<&'a Edit>,
}

struct Builder<'a> {
    text: &'a FileText,
    w: &'a Window<'a>,
    rows: Vec<CodeRow>,
    place: Option<(usize, usize)>,
}

impl Builder<'_> {
    /// A row of the place that is looked at.
    fn mine(&mut self) {
        let at = self.rows.len();
        let (from, _) = self.place.unwrap_or((at, at));
        self.place = Some((from, at + 1));
    }

    fn line(&mut self, old: Option<u32>, new: Option<u32>, changed: bool, mine: bool) {
        if mine {
            self.mine();
        }
        self.rows.push(CodeRow::Line { old, new, changed, mine });
    }

    /// All lines of one side.
    fn whole(&mut self, new: bool, hunks: &[Hunk]) {
        let mut changed: Vec<(u32, bool)> = Vec::new();
        for h in hunks {
            for (l, at, mine) in numbered(h, self.w.edit) {
                if l != LineKind::Same && (l == LineKind::Added) == new {
                    changed.push((if new { at.1 } else { at.0 }, mine));
                }
            }
        }
        changed.sort_unstable();
        for n in 1..=self.text.side(new).count() {
            let found = changed.binary_search_by_key(&n, |c| c.0).ok().map(|i| changed[i].1);
            let (old, new) = if new { (None, Some(n)) } else { (Some(n), None) };
            self.line(old, new, found.is_some(), found == Some(true));
        }
    }

    /// In a text as a whole the place of an edit that is not in is its line.
    fn rows_for_line(&mut self, focus: &[u32]) {
        if self.place.is_none()
            && let (Some(first), Some(last)) = (focus.iter().min(), focus.iter().max())
        {
            let at = |n: &u32| (*n as usize).saturating_sub(1).min(self.rows.len());
            self.place = Some((at(first), at(last) + 1));
        }
    }

    /// The changed lines with those around them.
    fn changes(&mut self, hunks: &[Hunk], focus: &[u32], would: &Would<'_>) {
        let (mut old, mut new) = (1, 1);
        for h in hunks {
            let begin = h.old_start + u32::from(h.old_lines == 0);
            self.unchanged((old, begin), new, (old > 1, true), (focus, would));
            self.hunk(h, (focus, would));
            old = begin + h.old_lines;
            new = h.new_start + u32::from(h.new_lines == 0) + h.new_lines;
        }
        let end = self.text.old.count() + 1;
        self.unchanged((old, end), new, (!hunks.is_empty(), false), (focus, would));
        // The lines of a file that has changed are not known.
        let known = would.after.is_some_and(|n| n < end);
        if let Some(e) = would.edit.filter(|_| !known) {
            self.would(e);
        }
    }

    /// Unchanged lines, those far from everything folded. `edges`: there is something before them, and after them.
    fn unchanged(
        &mut self,
        (from, to): (u32, u32),
        new: u32,
        edges: (bool, bool),
        (focus, would): (&[u32], &Would<'_>),
    ) {
        let context = self.w.context;
        let near = context.max(3);
        // A hunk brings three lines of its own.
        let more = context.saturating_sub(3);
        let shown = |n: u32| {
            (edges.0 && n < from.saturating_add(more))
                || (edges.1 && n.saturating_add(more) >= to)
                || focus.iter().any(|f| n.abs_diff(*f) <= near)
        };
        let mut n = from;
        while n < to {
            if shown(n) {
                let mine = focus.contains(&n);
                self.line(Some(n), Some(new + (n - from)), false, mine);
                self.below(n, would);
                n += 1;
                continue;
            }
            let folded = (n..to).take_while(|n| !shown(*n)).count() as u32;
            match folded {
                1 => self.line(Some(n), Some(new + (n - from)), false, false),
                _ => self.rows.push(CodeRow::Fold(folded)),
            }
            n += folded;
        }
    }

    fn hunk(&mut self, h: &Hunk, (focus, would): (&[u32], &Would<'_>)) {
        let lines = numbered(h, self.w.edit);
        for run in lines.chunk_by(|a, b| (a.0 == LineKind::Same) == (b.0 == LineKind::Same)) {
            if run[0].0 == LineKind::Same {
                for (_, (old, new), _) in run {
                    let mine = focus.contains(old);
                    self.line(Some(*old), Some(*new), false, mine);
                    self.below(*old, would);
                }
                continue;
            }
            let (gone, come): (Vec<&NumberedLine>, Vec<&NumberedLine>) =
                run.iter().partition(|l| l.0 == LineKind::Removed);
            // Of lines that several edits changed those are the place that it changed itself, where that is known.
            let known = run.iter().any(|l| self.changes_line(l));
            let own = |l: &NumberedLine| l.2 && (!known || self.changes_line(l));
            let height = gone.len().max(come.len());
            let mine: Vec<bool> = (0..height)
                .map(|i| {
                    let old = gone.get(i).is_some_and(|l| own(l) || focus.contains(&l.1.0));
                    old || come.get(i).is_some_and(|l| own(l))
                })
                .collect();
            let (old, new) =
                (|i: usize| gone.get(i).map(|l| l.1.0), |i: usize| come.get(i).map(|l| l.1.1));
            if self.w.sides == Sides::Beside {
                (0..height).for_each(|i| self.line(old(i), new(i), true, mine[i]));
            } else {
                (0..gone.len()).for_each(|i| self.line(old(i), None, true, mine[i]));
                (0..come.len()).for_each(|i| self.line(None, new(i), true, mine[i]));
            }
            if gone.iter().any(|l| would.after == Some(l.1.0))
                && let Some(e) = would.edit
            {
                self.would(e);
            }
        }
    }

    /// True if the edit that is looked at changed something within a line.
    fn changes_line(&self, l: &NumberedLine) -> bool {
        let new = l.0 == LineKind::Added;
        let marks = self.text.marks(new, if new { l.1.1 } else { l.1.0 });
        self.w.edit.is_some_and(|e| marks.iter().any(|m| m.by as usize == e))
    }

    /// What stands below an unchanged line.
    fn below(&mut self, line: u32, would: &Would<'_>) {
        if would.after == Some(line)
            && let Some(e) = would.edit
        {
            self.would(e);
        }
    }

    /// What becomes of the file as a whole.
    fn of_file(&mut self, e: &Edit) {
        let what = emendo_text::visible_name(&e.of_file().unwrap_or_default()).into_owned();
        let text = match &e.standing {
            Standing::In => format!("the file {what}"),
            Standing::Out => format!("left as it is; taken, the file {what}"),
            Standing::Withheld(why) => format!("held back ({why}): the file {what}"),
            Standing::Protected(why) => format!("left on purpose ({why}): the file {what}"),
        };
        self.mine();
        let texts = vec![WouldText { text, ..WouldText::default() }];
        self.rows.push(CodeRow::Would { texts, label: true });
    }

    /// What an edit would write that is not in.
    fn would(&mut self, e: &Edit) {
        let whole = |text: &str| self.whole_lines(e.origin, text);
        let columns: Vec<(String, Vec<WouldText>)> = if e.options.is_empty() {
            let says = match &e.standing {
                Standing::Withheld(_) => "held back; it would read:",
                Standing::Protected(_) => "left on purpose; it would read:",
                Standing::In | Standing::Out => "left as it is; it would read:",
            };
            vec![(says.into(), whole(&e.after))]
        } else {
            let option = |(i, o): (usize, &emendo_core::Alternative)| {
                let picked = if self.w.picked == Some(&o.label) { " (picked)" } else { "" };
                let lines = match o.leaves {
                    true => {
                        vec![WouldText { text: "(stays as it is)".into(), ..WouldText::default() }]
                    }
                    false => whole(&o.after),
                };
                (format!("{} {}{picked}", i + 1, o.label), lines)
            };
            e.options.iter().enumerate().map(option).collect()
        };
        // Side by side where there is room for all of it.
        let room = (self.w.width / columns.len().max(1)).saturating_sub(4);
        let fits =
            |c: &(String, Vec<WouldText>)| c.1.iter().all(|t| crate::cells::width(&t.text) <= room);
        let beside = self.w.sides == Sides::Beside && columns.iter().all(fits);
        let groups: Vec<Vec<(String, Vec<WouldText>)>> = match beside {
            true => vec![columns],
            false => columns.into_iter().map(|c| vec![c]).collect(),
        };
        for group in groups {
            let height = group.iter().map(|c| c.1.len()).max().unwrap_or(0);
            let label = |c: &(String, Vec<WouldText>)| WouldText {
                text: c.0.clone(),
                ..WouldText::default()
            };
            let labels = group.iter().map(label).collect();
            self.mine();
            self.rows.push(CodeRow::Would { texts: labels, label: true });
            for i in 0..height {
                let line = |c: &(String, Vec<WouldText>)| c.1.get(i).cloned().unwrap_or_default();
                self.mine();
                self.rows
                    .push(CodeRow::Would { texts: group.iter().map(line).collect(), label: false });
            }
        }
    }

    /// The lines of a place with another text in it, whole where the place is known.
    fn whole_lines(&self, origin: Option<Span>, text: &str) -> Vec<WouldText> {
        let around = origin.and_then(|o| self.text.old.around(o));
        let (before, after) = around.map_or(("", ""), |(_, _, before, after)| (before, after));
        let whole = format!("{before}{text}{after}");
        let first = around.map(|a| (a.0, a.1));
        let lines = whole.lines().enumerate().map(|(i, line)| {
            let n = first
                .and_then(|(from, to)| Some(from + u32::try_from(i).ok()?).filter(|n| *n <= to));
            let differs = n.map_or((0, line.len()), |n| differs(self.text.old.line(n), line));
            WouldText { text: line.to_owned(), differs }
        });
        lines.collect()
    }
}

/// The bytes of a line that another one does not have at the same end.
fn differs(old: &str, new: &str) -> (usize, usize) {
    let same = |a: &mut dyn Iterator<Item = char>, b: &mut dyn Iterator<Item = char>| {
        a.zip(b).take_while(|(a, b)| a == b).map(|(_, c)| c.len_utf8()).sum::<usize>()
    };
    let head = same(&mut old.chars(), &mut new.chars());
    let (old, rest) = (old.get(head..).unwrap_or(""), new.get(head..).unwrap_or(""));
    let tail = same(&mut old.chars().rev(), &mut rest.chars().rev());
    (head, new.len() - tail)
}

/// A line of a hunk: what it is, its number in both texts, and whether the edit that is looked at changed it.
type NumberedLine = (LineKind, (u32, u32), bool);

/// The lines of a hunk with their numbers in both texts, and whether an edit changed them.
fn numbered(h: &Hunk, edit: Option<usize>) -> Vec<NumberedLine> {
    let mut at =
        (h.old_start + u32::from(h.old_lines == 0), h.new_start + u32::from(h.new_lines == 0));
    let mine = |i: usize| {
        let here = |r: &emendo_text::ChangedRun| {
            (r.from..r.from + r.lines).contains(&(i as u32))
                && edit.is_some_and(|e| r.by.contains(&(e as u32)))
        };
        h.runs.iter().any(here)
    };
    let mut out = Vec::with_capacity(h.lines.len());
    for (i, l) in h.lines.iter().enumerate() {
        out.push((l.kind, at, l.kind != LineKind::Same && mine(i)));
        at.0 += u32::from(l.kind != LineKind::Added);
        at.1 += u32::from(l.kind != LineKind::Removed);
    }
    out
}
