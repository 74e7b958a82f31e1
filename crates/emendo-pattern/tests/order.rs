//! What a type is does not depend on who asked first: each question is put to a fresh project, and to one that has
//! answered all others before, in several orders.

use std::collections::BTreeMap;
use std::sync::Arc;

use emendo_lang::{FileFacts, Files, Index, Resolver, Tree};
use emendo_languages::{language, language_of};
use emendo_text::{RelPath, Span};

/// A project in memory.
#[derive(Clone)]
struct Memory(BTreeMap<RelPath, String>);

impl Files for Memory {
    fn exists(&self, path: &str) -> bool {
        RelPath::new(path).is_ok_and(|p| self.0.contains_key(&p))
    }
    fn text(&self, path: &RelPath) -> Option<String> {
        self.0.get(path).cloned()
    }
    fn named(&self, name: &str) -> Vec<RelPath> {
        self.0.keys().filter(|p| p.name() == name).cloned().collect()
    }
}

fn project(files: &[(&str, &str)]) -> Memory {
    let file =
        |(path, text): &(&str, &str)| (RelPath::new(path).expect("a path"), (*text).to_owned());
    Memory(files.iter().map(file).collect())
}

/// What is told of the type of each word `wordN` of a project, asked in this order of one index.
fn told(files: &Memory, order: &[usize]) -> BTreeMap<usize, String> {
    let mut index = Index::new(Arc::new(files.clone()));
    for (path, text) in &files.0 {
        let language = language_of(path).expect("a language");
        let tree = Tree::parse_file(language, path, text);
        let facts = FileFacts::of_file(language, &tree, text, path, files);
        index.add(language, path, text, &tree, &facts);
    }
    let mut out = BTreeMap::new();
    for number in order {
        let word = format!("word{number}");
        for (path, text) in &files.0 {
            let language = language_of(path).expect("a language");
            let tree = Tree::parse_file(language, path, text);
            let facts = FileFacts::of_file(language, &tree, text, path, files);
            let resolver = Resolver::new(language, &facts, &index, &tree, text).in_file(path);
            for (at, _) in text.match_indices(&format!("({word}.")) {
                let span = Span::new(at + 1, at + 1 + word.len());
                out.insert(*number, format!("{:?}", resolver.type_at(span)));
            }
        }
    }
    out
}

fn check(files: &[(&str, &str)], count: usize) {
    let files = project(files);
    let all: Vec<usize> = (0..count).collect();
    let alone: BTreeMap<usize, String> = all.iter().flat_map(|n| told(&files, &[*n])).collect();
    assert_eq!(alone.len(), count, "every question has its place");
    let backwards: Vec<usize> = all.iter().rev().copied().collect();
    let inner: Vec<usize> = all.iter().map(|n| (n * 5 + 2) % count).collect();
    for order in [&all, &backwards, &inner] {
        let found = told(&files, order);
        for (number, said) in &found {
            assert_eq!(said, &alone[number], "word{number}, asked in the order {order:?}");
        }
    }
    assert!(alone.values().any(|a| a.starts_with("Some")), "{alone:#?}");
}

/// Types that are built on one another in a circle, and members whose types lead back to where the question began.
#[test]
fn types_in_a_circle_tell_the_same_in_every_order() {
    assert!(language("python").is_some());
    check(
        &[
            (
                "harbour/quay.py",
                "from harbour.mole import Mole\nfrom harbour.pier import Pier\n\nclass Quay(Mole):\n    def __init__(self):\n        self.pier = Pier()\n    def next(self):\n        return self.pier.back()\n    def other(self):\n        return Mole().side()\n",
            ),
            (
                "harbour/mole.py",
                "from harbour.pier import Pier\n\nclass Mole(Pier):\n    def side(self):\n        return self.next()\n    def light(self):\n        return Lamp()\n\nclass Lamp:\n    pass\n",
            ),
            (
                "harbour/pier.py",
                "from harbour.quay import Quay\n\nclass Pier(Quay):\n    def back(self):\n        return Quay().next() or self.light()\n    def lamp(self):\n        return self.light()\n",
            ),
            (
                "board.py",
                "from harbour.mole import Mole\nfrom harbour.pier import Pier\nfrom harbour.quay import Quay\n\ndef board():\n    word0 = Quay().next()\n    print(word0.x)\n    word1 = Pier().back()\n    print(word1.x)\n    word2 = Mole().side()\n    print(word2.x)\n    word3 = Quay().light()\n    print(word3.x)\n    word4 = Pier().lamp()\n    print(word4.x)\n    word5 = Quay().other()\n    print(word5.x)\n    word6 = Pier().light()\n    print(word6.x)\n",
            ),
        ],
        7,
    );
}

/// A function that gives what another one gives, which gives that or something else: whichever is asked first is open
/// while the other is worked out.
#[test]
fn functions_that_lead_back_to_each_other_tell_the_same_in_every_order() {
    check(
        &[
            (
                "src/quay.ts",
                "import { mark } from \"./pier\";\nexport class Lamp { on = true; }\nexport function buoy(n: number) { return n ? mark(n) : new Lamp(); }\nexport function lamp(n: number) { return n ? new Lamp() : buoy(n); }\n",
            ),
            (
                "src/pier.ts",
                "import { buoy } from \"./quay\";\nexport class Bell { loud = true; }\nexport function mark(n: number) { return n ? buoy(n) : new Bell(); }\nexport function light(n: number) { return mark(n); }\n",
            ),
            (
                "src/board.ts",
                "import { light, mark } from \"./pier\";\nimport { buoy, lamp } from \"./quay\";\nconst word0 = buoy(1);\nconsole.log(word0.x);\nconst word1 = mark(1);\nconsole.log(word1.x);\nconst word2 = light(1);\nconsole.log(word2.x);\nconst word3 = lamp(1);\nconsole.log(word3.x);\n",
            ),
        ],
        4,
    );
}

#[test]
fn inferred_results_tell_the_same_in_every_order() {
    check(
        &[
            (
                "src/quay.ts",
                "import { pier } from \"./pier\";\nexport class Quay { buoy() { return pier().mark(); } lamp() { return new Lamp(); } }\nexport class Lamp { on = true; }\nexport const quay = () => new Quay();\n",
            ),
            (
                "src/pier.ts",
                "import { Quay, quay } from \"./quay\";\nexport class Pier extends Quay { mark() { return quay().buoy(); } light() { return this.lamp(); } }\nexport const pier = () => new Pier();\n",
            ),
            (
                "src/board.ts",
                "import { pier } from \"./pier\";\nimport { quay } from \"./quay\";\nconst word0 = quay().buoy();\nconsole.log(word0.x);\nconst word1 = pier().mark();\nconsole.log(word1.x);\nconst word2 = pier().light();\nconsole.log(word2.x);\nconst word3 = pier().lamp();\nconsole.log(word3.x);\nconst word4 = quay();\nconsole.log(word4.x);\n",
            ),
        ],
        5,
    );
}
