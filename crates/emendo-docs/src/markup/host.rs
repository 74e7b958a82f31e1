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
    /// What it is there for.
    pub role: Role,
    /// The code in it, as the ending of a file that holds such code; nothing where it is not read.
    pub holds: Option<&'static str>,
    /// It is code wherever it stands: in scripts and comments too.
    pub everywhere: bool,
}

/// What code of a template is there for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Role {
    /// It is a comment.
    Comment,
    /// It puts a value in its place.
    Gives,
    /// It is statements, or steers what is around it.
    Controls,
    /// It holds declarations.
    Declares,
    /// It says something of the page as a whole.
    Directive,
}

const fn code(open: &'static str, close: &'static str, role: Role) -> Delimiter {
    Delimiter { open, close, nested: false, role, holds: None, everywhere: true }
}

const fn nested(open: &'static str) -> Delimiter {
    let close = "}";
    Delimiter { open, close, nested: true, role: Role::Gives, holds: None, everywhere: true }
}

impl Delimiter {
    const fn holds(self, ending: &'static str) -> Self {
        Self { holds: Some(ending), ..self }
    }

    /// It is code only between the tags of markup and in them.
    const fn in_markup(self) -> Self {
        Self { everywhere: false, ..self }
    }
}

/// How the markup itself holds code of the page's scripts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Scripts {
    /// It holds none.
    None,
    /// In scripts, and in attributes that say what happens on an event.
    Browser,
    /// In scripts, attributes with a sign or a word before their names, and in text: what the scripts declare is known there.
    Directives,
    /// In scripts, and in braces that may begin with a word: what the scripts declare is known there.
    Blocks,
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
    /// By imports of the code that the markup stands in.
    Imports,
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
    /// The code in such calls, as the ending of a file that holds such code; nothing where it is not read.
    pub calls_hold: Option<&'static str>,
    /// Names of such calls that put a value in their place.
    pub giving: &'static [&'static str],
    /// How the markup itself holds code.
    pub scripts: Scripts,
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
    calls_hold: None,
    giving: &[],
    scripts: Scripts::None,
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
    code: &[code("{%", "%}", Role::Controls), nested("{{")],
    calls: None,
    calls_hold: None,
    giving: &[],
    scripts: Scripts::Browser,
    spaces: NameSpaces::Declared,
};

/// Markup within code.
pub const IN_CODE: Host = Host {
    id: "jsx",
    title: "JSX",
    extensions: &[],
    cased: true,
    void: &[],
    raw: &[],
    implied: false,
    code: &[],
    calls: None,
    calls_hold: None,
    giving: &[],
    scripts: Scripts::None,
    spaces: NameSpaces::Imports,
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
        code: &[nested("{{").in_markup()],
        scripts: Scripts::Directives,
        ..HTML
    },
    Host {
        id: "svelte",
        title: "Svelte",
        extensions: &["svelte"],
        cased: true,
        implied: false,
        raw: &["script", "style", "textarea"],
        code: &[nested("{").in_markup()],
        scripts: Scripts::Blocks,
        ..HTML
    },
    Host {
        id: "jsp",
        title: "JSP",
        extensions: &["jsp", "jspf", "jspx", "tag", "tagf", "tagx"],
        code: &[
            code("<%--", "--%>", Role::Comment),
            code("<%@", "%>", Role::Directive),
            code("<%!", "%>", Role::Declares).holds("java"),
            code("<%=", "%>", Role::Gives).holds("java"),
            code("<%", "%>", Role::Controls).holds("java"),
            nested("${"),
            nested("#{"),
        ],
        spaces: NameSpaces::Directives,
        ..HTML
    },
    Host {
        id: "ejs",
        title: "EJS",
        extensions: &["ejs"],
        code: &[
            code("<%#", "%>", Role::Comment),
            code("<%=", "%>", Role::Gives).holds("js"),
            code("<%-", "%>", Role::Gives).holds("js"),
            code("<%_", "%>", Role::Controls).holds("js"),
            code("<%", "%>", Role::Controls).holds("js"),
        ],
        ..HTML
    },
    Host {
        id: "erb",
        title: "ERB",
        extensions: &["erb", "rhtml"],
        code: &[
            code("<%#", "%>", Role::Comment),
            code("<%=", "%>", Role::Gives).holds("rb"),
            code("<%-", "%>", Role::Controls).holds("rb"),
            code("<%", "%>", Role::Controls).holds("rb"),
        ],
        ..HTML
    },
    Host {
        id: "eex",
        title: "EEx",
        extensions: &["eex", "leex"],
        code: &[
            code("<%!--", "--%>", Role::Comment),
            code("<%#", "%>", Role::Comment),
            code("<%=", "%>", Role::Gives).holds("ex"),
            code("<%", "%>", Role::Controls).holds("ex"),
        ],
        ..HTML
    },
    Host {
        id: "heex",
        title: "HEEx",
        extensions: &["heex"],
        cased: true,
        code: &[
            code("<%!--", "--%>", Role::Comment),
            code("<%#", "%>", Role::Comment),
            code("<%=", "%>", Role::Gives).holds("ex"),
            code("<%", "%>", Role::Controls).holds("ex"),
            nested("{").in_markup().holds("ex"),
        ],
        ..HTML
    },
    Host {
        id: "blade",
        title: "Blade",
        extensions: &["blade.php"],
        code: &[
            code("{{--", "--}}", Role::Comment),
            code("{!!", "!!}", Role::Gives).holds("blade"),
            nested("{{").holds("blade"),
            code("@php\n", "@endphp", Role::Controls).holds("blade"),
            code("@php ", "@endphp", Role::Controls).holds("blade"),
            code("<?php", "?>", Role::Controls).holds("blade"),
            code("<?=", "?>", Role::Gives).holds("blade"),
            code("<?", "?>", Role::Controls),
        ],
        calls: Some('@'),
        calls_hold: Some("blade"),
        giving: &["json", "lang", "js", "csrf", "method", "yield", "choice", "class", "style"],
        ..HTML
    },
    Host {
        id: "twig",
        title: "Twig",
        extensions: &["twig"],
        code: &[code("{#", "#}", Role::Comment), code("{%", "%}", Role::Controls), nested("{{")],
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
        if let Some(word) = path.read_as() {
            return word == self.id;
        }
        let name = path.name().to_ascii_lowercase();
        self.extensions.iter().any(|e| name.strip_suffix(e).is_some_and(|rest| rest.ends_with('.')))
    }

    /// True if two names are one here. Names with a prefix come from elsewhere, and are cased everywhere.
    pub fn same_name(&self, a: &str, b: &str) -> bool {
        if self.cased || a.contains(':') { a == b } else { a.eq_ignore_ascii_case(b) }
    }

    /// True if a value of a recipe is code, and stands in braces without quotes.
    pub fn is_code(&self, value: &str) -> bool {
        let braces = value.starts_with('{') && value.ends_with('}');
        braces && matches!(self.spaces, NameSpaces::Imports)
    }

    /// True if a piece of a page holds code of its template.
    pub fn has_code(&self, text: &str) -> bool {
        self.code.iter().any(|d| text.contains(d.open))
    }

    /// The code that its pages may hold, as endings of files with such code.
    pub fn holds(&self) -> impl Iterator<Item = &'static str> {
        let scripts: &[&'static str] = match self.scripts {
            Scripts::None => &[],
            _ => &["js", "jsx", "ts", "tsx"],
        };
        self.code.iter().filter_map(|d| d.holds).chain(scripts.iter().copied())
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
