//! Indentation: one level of it in a file, and lines of a template as they are written there.

/// How the lines of a template are indented in a file.
#[derive(Debug)]
pub struct Indents<'a> {
    /// One level in the file, and in the template.
    unit: (&'a str, usize),
    line_end: &'a str,
    /// The widths of lines in the template with the indentation that they have in the file, growing.
    known: Vec<(usize, String)>,
}

impl<'a> Indents<'a> {
    /// Lines of a template whose level is so many blanks, in a file with this level; its first line stands at `base`.
    pub fn new(unit: (&'a str, usize), line_end: &'a str, base: &str) -> Self {
        Self { unit, line_end, known: vec![(0, base.to_owned())] }
    }

    /// The indentation of a line that is so far in.
    fn at(&self, width: usize) -> String {
        let below = self.known.iter().rev().find(|k| k.0 <= width);
        let (from, base) = below.map_or((0, ""), |k| (k.0, k.1.as_str()));
        let (level, more) = (self.unit.1.max(1), width - from);
        format!("{base}{}{}", self.unit.0.repeat(more / level), " ".repeat(more % level))
    }

    /// A text of the template with the file's line ends; its last line is indented by `last`, if that is said.
    pub fn gap(&mut self, gap: &str, last: Option<&str>) -> String {
        let lines: Vec<&str> = gap.split('\n').collect();
        let mut out = lines[0].trim_end_matches('\r').to_owned();
        if lines.len() > 1 && out.trim().is_empty() {
            out.clear();
        }
        for (i, line) in lines.iter().enumerate().skip(1) {
            out.push_str(self.line_end);
            let body = line.trim_start_matches([' ', '\t']).trim_end_matches('\r');
            let (width, ends) = (line.len() - body.len(), i + 1 == lines.len());
            if body.is_empty() && !ends {
                continue;
            }
            let indent = last.map_or_else(|| self.at(width), str::to_owned);
            if ends {
                self.known.retain(|k| k.0 < width);
                self.known.push((width, indent.clone()));
            }
            out.push_str(&indent);
            out.push_str(body);
        }
        out
    }

    /// How lines end in the file.
    pub fn line_end(&self) -> &'a str {
        self.line_end
    }
}

/// How far in one level of a template is: the least that a line is indented by.
pub fn template_unit(template: &str) -> usize {
    let lines = template.lines().filter(|l| !l.trim().is_empty());
    let widths = lines.map(|l| l.len() - l.trim_start().len());
    widths.filter(|w| *w > 0).min().unwrap_or(4)
}

/// One level of indentation in a text: what lines have more than the one before, most often. `None` if no line has.
///
/// One blank more is taken for the inside of a comment, and only the first 4,000 lines are looked at.
pub fn indent_unit(text: &str) -> Option<String> {
    let mut steps: Vec<(&str, usize)> = Vec::new();
    let mut above = "";
    let lines = text.split(['\n', '\r']).filter(|l| !l.trim().is_empty());
    for line in lines.take(4000) {
        let indent = &line[..line.len() - line.trim_start_matches([' ', '\t']).len()];
        if let Some(step) = indent.strip_prefix(above).filter(|s| !s.is_empty() && *s != " ") {
            let step = if step.starts_with('\t') { "\t" } else { step };
            match steps.iter_mut().find(|s| s.0 == step) {
                Some(known) => known.1 += 1,
                None => steps.push((step, 1)),
            }
        }
        above = indent;
    }
    // Of steps that are equally frequent the smallest: a wider one is a line that goes on.
    let most = steps.iter().max_by_key(|s| (s.1, std::cmp::Reverse(s.0.len())));
    most.map(|s| s.0.to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_level_of_indentation_is_the_most_frequent_step() {
        let level = |s: &str| indent_unit(s);
        assert_eq!(level("a\n  b\n    c(\n            d)\n  b\n"), Some("  ".into()));
        assert_eq!(level("a\r\n\tb\r\n\t\tc\r\n"), Some("\t".into()));
        assert_eq!(level("/**\n * x\n */\na\n    b\n"), Some("    ".into()));
        assert_eq!(level("a\nb\n"), None);
    }

    #[test]
    fn lines_of_a_template_take_the_files_indentation() {
        let mut indents = Indents::new(("\t", 2), "\r\n", "\t");
        let text = "a {\n  b\n\n    c\n}";
        assert_eq!(indents.gap(text, None), "a {\r\n\t\tb\r\n\r\n\t\t\tc\r\n\t}");
    }
}
