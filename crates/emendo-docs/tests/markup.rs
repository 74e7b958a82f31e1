//! Markup is read whatever stands in it.

use emendo_docs::markup::{Ending, HOSTS, host_named, read};

const PIECES: &[&str] = &[
    "<a",
    "<b ",
    ">",
    "/>",
    "</a>",
    "</b>",
    "<br>",
    "<script>",
    "</script>",
    "<!--",
    "-->",
    "<![CDATA[",
    "]]>",
    "<!x [",
    "<?",
    "?>",
    "{{",
    "}}",
    "{",
    "}",
    "{%",
    "%}",
    "<%",
    "<%=",
    "%>",
    "<%--",
    "--%>",
    "@if(",
    ")",
    "\"",
    "'",
    "=",
    "é",
    " ",
    "\n",
    "x",
    "li>",
    "<li>",
    "<p>",
    "<div>",
    "\u{1f6a2}",
];

#[test]
fn whatever_stands_in_a_file_places_hold() {
    let mut seed = 7_u64;
    let mut next = |n: usize| {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (seed >> 33) as usize % n
    };
    for round in 0..4000 {
        let text: String = (0..next(40)).map(|_| PIECES[next(PIECES.len())]).collect();
        let host = &HOSTS[round % HOSTS.len()];
        let page = read(host, &text);
        assert_eq!(page.fault(), None, "{}: {text:?}", host.id);
    }
}

#[test]
fn a_hundred_thousand_open_tags_and_braces_are_read_at_once() {
    let svelte = host_named("svelte").expect("is there");
    for piece in ["<a {", "<a>", "{{", "<!--", "<a b=\"", "</a>", "<% "] {
        let text = piece.repeat(100_000);
        for host in [svelte, &HOSTS[1]] {
            assert_eq!(read(host, &text).fault(), None, "{piece}");
        }
    }
}

#[test]
fn elements_end_as_they_say() {
    let html = host_named("html").expect("is there");
    let page = read(html, "<ul><li>a<LI>b</ul><br><x-y/><p>c<div>d</div>");
    let ends: Vec<(&str, Ending)> =
        page.elements.iter().map(|e| (page.name(e), e.ending)).collect();
    let missing = |n: &str| ends.iter().any(|e| e.0 == n && e.1 == Ending::Missing);
    assert!(missing("li") && missing("LI") && missing("p"), "{ends:?}");
    assert!(ends.contains(&("br", Ending::Void)) && ends.contains(&("x-y", Ending::Itself)));
    assert_eq!(page.elements.iter().filter(|e| e.parent.is_none()).count(), 5);
}
