//! The table of ecosystems: one row and one file each.

mod maven;

use emendo_text::{RelPath, Span};

/// A dependency ecosystem.
pub struct Ecosystem {
    /// The word for it, before the colon of a coordinate.
    pub id: &'static str,
    /// The name shown to people.
    pub title: &'static str,
    /// True for a manifest of this ecosystem.
    pub claims: fn(&RelPath) -> bool,
    /// Checks a coordinate without its ecosystem; gives what is wrong with it.
    pub check_coordinate: fn(&str) -> Option<String>,
    /// Reads a manifest.
    pub read: fn(&str) -> Result<Manifest, ManifestError>,
    /// The parts of a coordinate in the order of [`Entry::names`].
    pub split: fn(&str) -> Vec<String>,
}

/// Why a manifest cannot be read.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct ManifestError {
    /// What is wrong.
    pub message: String,
    /// Where.
    pub at: Span,
}

/// What a manifest says.
#[derive(Clone, Debug, Default)]
pub struct Manifest {
    /// The coordinate of the project itself.
    pub own: Option<String>,
    /// The coordinate of its parent.
    pub parent: Option<String>,
    /// Path of the parent's manifest relative to this one's folder; empty for none.
    pub parent_path: String,
    /// The libraries it names.
    pub entries: Vec<Entry>,
    /// Values that entries may refer to.
    pub properties: Vec<Property>,
}

/// What an entry is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum EntryKind {
    /// A dependency, managed ones among them.
    Dependency,
    /// A build plugin.
    Plugin,
    /// The parent project.
    Parent,
}

/// A library that a manifest names.
#[derive(Clone, Debug)]
pub struct Entry {
    /// What it is.
    pub kind: EntryKind,
    /// The coordinate, without ecosystem and version.
    pub coordinate: String,
    /// The parts of the coordinate where they are written.
    pub names: Vec<Value>,
    /// The version, where it is written.
    pub version: Option<Value>,
    /// The whole entry.
    pub span: Span,
}

/// A value as written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Value {
    /// The text, entities undone and blanks at the ends taken off.
    pub text: String,
    /// Where it stands, without the blanks.
    pub span: Span,
}

impl Value {
    /// The name of the property, if the value is nothing but a reference to one.
    pub fn property(&self) -> Option<&str> {
        self.text.strip_prefix("${")?.strip_suffix('}').filter(|n| !n.contains(['$', '{']))
    }
}

/// A named value of a manifest.
#[derive(Clone, Debug)]
pub struct Property {
    /// Its name.
    pub name: String,
    /// Its value.
    pub value: Value,
}

/// All ecosystems.
pub const ECOSYSTEMS: &[Ecosystem] = &[maven::MAVEN];

/// Files that hold what a tool worked out of a manifest: they are never edited.
const LOCKS: &[&str] = &[
    "package-lock.json",
    "npm-shrinkwrap.json",
    "yarn.lock",
    "pnpm-lock.yaml",
    "bun.lock",
    "Cargo.lock",
    "poetry.lock",
    "Pipfile.lock",
    "uv.lock",
    "pdm.lock",
    "composer.lock",
    "Gemfile.lock",
    "mix.lock",
    "pubspec.lock",
    "Package.resolved",
    "go.sum",
    "packages.lock.json",
    "gradle.lockfile",
];

/// True for a file that a tool writes anew from a manifest.
pub fn is_lock(path: &RelPath) -> bool {
    LOCKS.contains(&path.name())
}

/// The ecosystem of a manifest, by its name.
pub fn ecosystem_of(path: &RelPath) -> Option<&'static Ecosystem> {
    ECOSYSTEMS.iter().find(|e| (e.claims)(path))
}

#[cfg(test)]
mod tests {
    use super::*;

    const POM: &str = r#"<?xml version="1.0"?>
<!-- <dependency><groupId>no</groupId><artifactId>comment</artifactId></dependency> -->
<project xmlns="http://maven.apache.org/POM/4.0.0">
  <parent><groupId>p</groupId><artifactId>parent</artifactId><version>1</version></parent>
  <artifactId>berths</artifactId>
  <properties><tw.version> 2.4 </tw.version></properties>
  <dependencyManagement><dependencies>
    <dependency><groupId>a</groupId><artifactId>bom</artifactId><version>3</version><type>pom</type></dependency>
  </dependencies></dependencyManagement>
  <dependencies>
    <dependency>
      <groupId>org.tidewire</groupId>
      <artifactId>tidewire-core</artifactId>
      <version>${tw.version}</version>
      <exclusions><exclusion><groupId>x</groupId><artifactId>y</artifactId></exclusion></exclusions>
    </dependency>
  </dependencies>
  <build><plugins><plugin><artifactId>tide-plugin</artifactId><version>2</version>
    <dependencies><dependency><groupId>in</groupId><artifactId>plugin</artifactId></dependency></dependencies>
  </plugin></plugins></build>
  <profiles><profile><dependencies><dependency><groupId>pr</groupId><artifactId>of</artifactId><version>1</version></dependency></dependencies></profile></profiles>
</project>
"#;

    #[test]
    fn a_manifest_is_read_with_places() {
        let m = (ECOSYSTEMS[0].read)(POM).expect("reads");
        let names: Vec<&str> = m.entries.iter().map(|e| e.coordinate.as_str()).collect();
        assert_eq!(
            names,
            [
                "p:parent",
                "a:bom",
                "org.tidewire:tidewire-core",
                "org.apache.maven.plugins:tide-plugin",
                "in:plugin",
                "pr:of"
            ]
        );
        let tidewire = &m.entries[2];
        assert_eq!(tidewire.version.as_ref().and_then(Value::property), Some("tw.version"));
        assert_eq!(m.properties[0].value.span.of(POM), "2.4");
        assert_eq!((m.own.as_deref(), m.parent.as_deref()), (Some("p:berths"), Some("p:parent")));
    }

    #[test]
    fn a_broken_manifest_says_where() {
        let e = (ECOSYSTEMS[0].read)("<project>\n  <a></b>\n</project>").expect_err("broken");
        assert!(e.at.start > 0 && !e.message.is_empty());
    }
}
