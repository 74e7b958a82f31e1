//! Files that come with the program, each set as one text: a package of the program alone holds them too.
//!
//! A file is a line `==> PATH LENGTH`, then as many bytes, then a line end. The tests write the texts anew from `demo/` and
//! `docs/errors/` when they are asked to, and fail where they differ.

/// The sample project and its recipe, as in `demo/`.
pub(crate) const DEMO: &str = include_str!("../../data/demo.txt");
/// The pages about messages, as in `docs/errors/`.
pub(crate) const ERRORS: &str = include_str!("../../data/errors.txt");

/// The files of a set, by their paths below its folder.
pub(crate) fn files(set: &'static str) -> impl Iterator<Item = (&'static str, &'static str)> {
    let mut rest = set;
    std::iter::from_fn(move || {
        let (head, body) = rest.strip_prefix("==> ")?.split_once('\n')?;
        let (path, len) = head.rsplit_once(' ')?;
        let len: usize = len.parse().ok()?;
        let text = body.get(..len)?;
        rest = body.get(len + 1..).unwrap_or("");
        Some((path, text))
    })
}
