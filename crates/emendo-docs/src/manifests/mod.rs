//! The table of ecosystems: one row and one file each.

mod bundler;
mod cargo;
mod composer;
mod ecosystem;
mod go;
mod gradle;
mod hex;
mod levels;
mod maven;
mod npm;
mod nuget;
mod placing;
mod pubspec;
mod python;
mod script;
mod swift;

use emendo_text::RelPath;

pub use crate::manifests::ecosystem::{
    Ecosystem, Entry, EntryKind, Form, Manifest, ManifestError, New, Property, TOOLCHAINS,
    Toolchain, Value,
};
pub use crate::manifests::levels::{exact_level, level_of};
pub use crate::manifests::placing::beside;

/// All ecosystems.
pub const ECOSYSTEMS: &[Ecosystem] = &[
    maven::MAVEN,
    gradle::GRADLE,
    npm::NPM,
    cargo::CARGO,
    python::PYTHON,
    nuget::NUGET,
    composer::COMPOSER,
    bundler::BUNDLER,
    hex::HEX,
    pubspec::PUB,
    swift::SWIFT,
    go::GO,
];

/// The ecosystem of a manifest, by its name.
pub fn ecosystem_of(path: &RelPath) -> Option<&'static Ecosystem> {
    ECOSYSTEMS.iter().find(|e| (e.claims)(path))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(path: &str, text: &str) -> Manifest {
        let path = RelPath::new(path).expect("a path");
        (ecosystem_of(&path).expect("known").read)(&path, text).expect("reads")
    }

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
        let m = read("pom.xml", POM);
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
        let path = RelPath::new("pom.xml").expect("a path");
        let text = "<project>\n  <a></b>\n</project>";
        let e = (ECOSYSTEMS[0].read)(&path, text).expect_err("broken");
        assert!(e.at.start > 0 && !e.message.is_empty());
    }

    #[test]
    fn every_place_that_is_read_stands_in_the_text() {
        let samples = [
            (
                "build.gradle",
                "dependencies { implementation 'a:b:1' }\nplugins { id 'x' version '2' }\n",
            ),
            ("package.json", "{\"dependencies\":{\"a\":\"^1\"}}"),
            ("Cargo.toml", "[dependencies]\na = \"1\"\n"),
            ("requirements.txt", "a==1\n"),
            (
                "a.csproj",
                "<Project><ItemGroup><PackageReference Include=\"a\" Version=\"1\"/></ItemGroup></Project>",
            ),
            ("composer.json", "{\"require\":{\"a/b\":\"^1\"}}"),
            ("Gemfile", "gem 'a', '~> 1'\n"),
            ("mix.exs", "defp deps do [{:a, \"~> 1.0\"}] end\n"),
            ("pubspec.yaml", "dependencies:\n  a: ^1.0.0\n"),
            ("Package.swift", ".package(url: \"https://x/a.git\", from: \"1.0.0\"),\n"),
            ("go.mod", "module m\n\nrequire a/b v1.0.0\n"),
        ];
        for (path, text) in samples {
            let m = read(path, text);
            let e = m.entries.first().unwrap_or_else(|| panic!("{path}: no entry"));
            let version = e.version.as_ref().unwrap_or_else(|| panic!("{path}: no version"));
            assert!(
                version.text.contains('1') && version.span.of(text) == version.text,
                "{path}: {version:?}"
            );
            assert!(e.span.contains(version.span), "{path}");
            assert!(e.removal.span.contains(version.span), "{path}");
        }
    }
}
