//! What project files of C# import for all files of their project.

use emendo_lang::{Files, Import, remembered};
use emendo_text::{RelPath, Span};

use crate::csharp::names::NAMES;

/// What a kit for projects brings, by the last part of its name that tells; the first is brought by all.
const BROUGHT: &[(&str, &[&str])] = &[
    (
        "",
        &[
            "System",
            "System.Collections.Generic",
            "System.IO",
            "System.Linq",
            "System.Net.Http",
            "System.Threading",
            "System.Threading.Tasks",
        ],
    ),
    (
        ".Web",
        &[
            "System.Net.Http.Json",
            "Microsoft.AspNetCore.Builder",
            "Microsoft.AspNetCore.Hosting",
            "Microsoft.AspNetCore.Http",
            "Microsoft.AspNetCore.Routing",
            "Microsoft.Extensions.Configuration",
            "Microsoft.Extensions.DependencyInjection",
            "Microsoft.Extensions.Hosting",
            "Microsoft.Extensions.Logging",
        ],
    ),
    (
        ".Worker",
        &[
            "Microsoft.Extensions.Configuration",
            "Microsoft.Extensions.DependencyInjection",
            "Microsoft.Extensions.Hosting",
            "Microsoft.Extensions.Logging",
        ],
    ),
];

/// The imports that a file has by its project: those of the nearest project file, and of what holds for all below a folder.
pub(crate) fn of_project(path: &RelPath, files: &dyn Files) -> Vec<Import> {
    let Some(project) = project_of(path, files) else { return Vec::new() };
    let found = remembered(files, &format!("usings of {project}"), || read(&project, files));
    found.as_ref().clone()
}

/// The nearest project file around a file.
fn project_of(path: &RelPath, files: &dyn Files) -> Option<RelPath> {
    let all = remembered(files, "projects of C#", || files.with_ending(".csproj"));
    let around = |p: &&RelPath| {
        p.folder().is_empty()
            || path.folder() == p.folder()
            || path.folder().strip_prefix(p.folder()).is_some_and(|r| r.starts_with('/'))
    };
    all.iter().filter(around).max_by_key(|p| p.folder().len()).cloned()
}

/// The package that a project makes of a file, if its project file says that it makes one.
pub(crate) fn published(path: &RelPath, files: &dyn Files) -> Option<String> {
    let project = project_of(path, files)?;
    let text = files.text(&project)?;
    let is = |name: &str, value: &str| {
        element(&text, name).is_some_and(|v| v.eq_ignore_ascii_case(value))
    };
    let id = element(&text, "PackageId");
    let packed = is("GeneratePackageOnBuild", "true") || is("IsPackable", "true");
    if is("IsPackable", "false") || id.is_none() && !packed {
        return None;
    }
    let own = || project.name().strip_suffix(".csproj").unwrap_or_default().to_owned();
    Some(id.unwrap_or_else(own))
}

fn read(project: &RelPath, files: &dyn Files) -> Vec<Import> {
    let own = files.text(project).unwrap_or_default();
    let mut texts = vec![own];
    let mut folder = project.folder();
    loop {
        let lead = if folder.is_empty() { String::new() } else { format!("{folder}/") };
        for name in ["Directory.Build.props", "Directory.Build.targets"] {
            let path = RelPath::new(&format!("{lead}{name}"));
            texts.extend(path.ok().and_then(|p| files.text(&p)));
        }
        if folder.is_empty() {
            break;
        }
        folder = folder.rsplit_once('/').map_or("", |f| f.0);
    }
    // What stands nearest decides.
    let says = texts.iter().find_map(|t| element(t, "ImplicitUsings"));
    let on = says.is_some_and(|s| matches!(s.to_lowercase().as_str(), "enable" | "true"));
    let kit = attribute(&texts[0], "<Project", "Sdk").unwrap_or_default();
    let brought = BROUGHT.iter().filter(|b| on && kit.ends_with(b.0));
    let mut names: Vec<String> =
        brought.flat_map(|b| b.1.iter().map(|n| (*n).to_owned())).collect();
    for text in &texts {
        for item in text.split("<Using ").skip(1) {
            let item = item.split('>').next().unwrap_or("");
            let value = |key: &str| attribute(item, "", key);
            if let Some(gone) = value("Remove") {
                names.retain(|n| *n != gone);
            }
            let plain = value("Alias").is_none() && value("Static").is_none();
            names.extend(value("Include").filter(|_| plain));
        }
    }
    names.into_iter().map(|n| import(&n)).collect()
}

fn import(namespace: &str) -> Import {
    let segments = namespace.split('.').map(|s| (s.to_owned(), Span::at(0))).collect();
    let path = NAMES.join(&namespace.split('.').collect::<Vec<_>>());
    let mut import = Import::new(Span::at(0), segments, path).all();
    import.global = true;
    import
}

/// The text of an element.
fn element(text: &str, name: &str) -> Option<String> {
    let (_, rest) = text.split_once(&format!("<{name}>"))?;
    Some(rest.split('<').next()?.trim().to_owned())
}

/// The value of an attribute behind a text.
fn attribute(text: &str, behind: &str, name: &str) -> Option<String> {
    let rest = text.split_once(behind).map_or(text, |r| r.1);
    let rest = if behind.is_empty() { text } else { rest.split('>').next()? };
    let (_, value) = rest.split_once(&format!("{name}="))?;
    value.trim_start().split(['"', '\'']).nth(1).map(str::to_owned)
}
