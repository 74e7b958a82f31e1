//! What a file of markup may hold, by its ending: one row each.

use emendo_text::RelPath;

/// How the code of a template begins and ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Delimiter {
    /// What it begins with.
    pub open: &'static str,
    /// What it ends with.
    pub close: &'static str,
    /// Braces within it are counted, and strings are passed over: it ends where the first one is closed.
    pub nested: bool,
    /// It is a comment.
    pub comment: bool,
}

const fn code(open: &'static str, close: &'static str) -> Delimiter {
    Delimiter { open, close, nested: false, comment: false }
}

const fn comment(open: &'static str, close: &'static str) -> Delimiter {
    Delimiter { open, close, nested: false, comment: true }
}

const fn nested(open: &'static str) -> Delimiter {
    Delimiter { open, close: "}", nested: true, comment: false }
}

/// How prefixes get their meaning.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NameSpaces {
    /// Names are taken as they are written.
    None,
    /// By `xmlns`, on the element or around it.
    Declared,
    /// By `xmlns`, and by directives that name a tag library for the whole file.
    Directives,
}

/// What a file of markup may hold.
#[derive(Debug)]
pub struct Host {
    /// Its word.
    pub id: &'static str,
    /// Its name, for people.
    pub title: &'static str,
    /// Endings of its files, without the dot.
    pub extensions: &'static [&'static str],
    /// Capital and small letters are different in names.
    pub cased: bool,
    /// Elements that have no content and no end tag.
    pub void: &'static [&'static str],
    /// Elements whose content is no markup.
    pub raw: &'static [&'static str],
    /// End tags may be left out, as HTML says.
    pub implied: bool,
    /// Code of the template; where one begins with another, the longer stands first.
    pub code: &'static [Delimiter],
    /// A call with a sign before it is code: `@if (a < b)`.
    pub calls: Option<char>,
    /// How prefixes get their meaning.
    pub spaces: NameSpaces,
}

const VOID: &[&str] = &[
    "area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "param", "source",
    "track", "wbr",
];
const RAW: &[&str] = &["script", "style", "textarea", "title"];

const XML: Host = Host {
    id: "xml",
    title: "XML",
    extensions: &[
        "xml", "xhtml", "xsd", "xsl", "xslt", "wsdl", "svg", "fxml", "xaml", "config", "tld",
        "zul", "rng", "xmi", "bpmn", "dmn", "csproj", "props", "targets",
    ],
    cased: true,
    void: &[],
    raw: &[],
    implied: false,
    code: &[],
    calls: None,
    spaces: NameSpaces::Declared,
};

const HTML: Host = Host {
    id: "html",
    title: "HTML",
    extensions: &["html", "htm"],
    cased: false,
    void: VOID,
    raw: RAW,
    implied: true,
    // Many kinds of pages that are filled elsewhere have no ending of their own.
    code: &[code("{%", "%}"), nested("{{")],
    calls: None,
    spaces: NameSpaces::Declared,
};

/// All hosts.
pub const HOSTS: &[Host] = &[
    XML,
    HTML,
    Host {
        id: "vue",
        title: "Vue",
        extensions: &["vue"],
        cased: true,
        implied: false,
        raw: &["script", "style", "textarea"],
        ..HTML
    },
    Host {
        id: "svelte",
        title: "Svelte",
        extensions: &["svelte"],
        cased: true,
        implied: false,
        raw: &["script", "style", "textarea"],
        code: &[nested("{")],
        ..HTML
    },
    Host {
        id: "jsp",
        title: "JSP",
        extensions: &["jsp", "jspf", "jspx", "tag", "tagf", "tagx"],
        code: &[comment("<%--", "--%>"), code("<%", "%>"), nested("${"), nested("#{")],
        spaces: NameSpaces::Directives,
        ..HTML
    },
    Host {
        id: "ejs",
        title: "EJS",
        extensions: &["ejs"],
        code: &[comment("<%#", "%>"), code("<%", "%>")],
        ..HTML
    },
    Host {
        id: "erb",
        title: "ERB",
        extensions: &["erb", "rhtml"],
        code: &[comment("<%#", "%>"), code("<%", "%>")],
        ..HTML
    },
    Host {
        id: "eex",
        title: "EEx",
        extensions: &["eex", "leex"],
        code: &[comment("<%!--", "--%>"), comment("<%#", "%>"), code("<%", "%>")],
        ..HTML
    },
    Host {
        id: "heex",
        title: "HEEx",
        extensions: &["heex"],
        cased: true,
        code: &[comment("<%!--", "--%>"), comment("<%#", "%>"), code("<%", "%>"), nested("{")],
        ..HTML
    },
    Host {
        id: "blade",
        title: "Blade",
        extensions: &["blade.php"],
        code: &[comment("{{--", "--}}"), code("{!!", "!!}"), nested("{{"), code("<?", "?>")],
        calls: Some('@'),
        ..HTML
    },
    Host {
        id: "twig",
        title: "Twig",
        extensions: &["twig"],
        code: &[comment("{#", "#}"), code("{%", "%}"), nested("{{")],
        ..HTML
    },
];

/// Elements whose start ends an open one, where end tags may be left out (HTML, "Optional tags").
pub(super) const ENDED_BY: &[(&str, &[&str])] = &[
    ("li", &["li"]),
    ("dt", &["dt", "dd"]),
    ("dd", &["dt", "dd"]),
    ("option", &["option", "optgroup"]),
    ("optgroup", &["optgroup"]),
    ("tr", &["tr", "tbody", "tfoot"]),
    ("td", &["td", "th", "tr", "tbody", "tfoot"]),
    ("th", &["td", "th", "tr", "tbody", "tfoot"]),
    ("thead", &["tbody", "tfoot"]),
    ("tbody", &["tbody", "tfoot"]),
    (
        "p",
        &[
            "address",
            "article",
            "aside",
            "blockquote",
            "details",
            "div",
            "dl",
            "fieldset",
            "figure",
            "footer",
            "form",
            "h1",
            "h2",
            "h3",
            "h4",
            "h5",
            "h6",
            "header",
            "hr",
            "main",
            "nav",
            "ol",
            "p",
            "pre",
            "section",
            "table",
            "ul",
        ],
    ),
];

impl Host {
    /// True for a file of this kind.
    pub fn claims(&self, path: &RelPath) -> bool {
        let name = path.name().to_ascii_lowercase();
        self.extensions.iter().any(|e| name.strip_suffix(e).is_some_and(|rest| rest.ends_with('.')))
    }

    /// True if two names are one here. Names with a prefix come from elsewhere, and are cased everywhere.
    pub fn same_name(&self, a: &str, b: &str) -> bool {
        if self.cased || a.contains(':') { a == b } else { a.eq_ignore_ascii_case(b) }
    }

    /// True if a piece of a page holds code of its template.
    pub fn has_code(&self, text: &str) -> bool {
        self.code.iter().any(|d| text.contains(d.open))
    }

    pub(super) fn is_void(&self, name: &str) -> bool {
        self.void.iter().any(|v| self.same_name(v, name))
    }

    pub(super) fn is_raw(&self, name: &str) -> bool {
        self.raw.iter().any(|v| self.same_name(v, name))
    }
}

/// The host of a file among these, by its name: the longest ending that fits decides.
pub fn host_among(
    hosts: impl Iterator<Item = &'static Host>,
    path: &RelPath,
) -> Option<&'static Host> {
    hosts.filter(|h| h.claims(path)).max_by_key(|h| {
        let name = path.name().to_ascii_lowercase();
        h.extensions.iter().filter(|e| name.ends_with(*e)).map(|e| e.len()).max()
    })
}

/// The host with this word.
pub fn host_named(id: &str) -> Option<&'static Host> {
    HOSTS.iter().find(|h| h.id == id)
}
