//! The house has no circles: no file depends, by whatever way, on itself.
//!
//! Of the Rust sources of every crate and of the page's modules. A `mod.rs` that lists its rooms
//! is no dependency; what it names with `use` is.
#![allow(missing_docs, clippy::expect_used)] // a test may say what must hold by failing

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

type Graph = BTreeMap<PathBuf, BTreeSet<PathBuf>>;

fn files(folder: &Path, ending: &str, found: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(folder).expect("a folder of sources").flatten() {
        let path = entry.path();
        if path.is_dir() && !path.ends_with("vendor") {
            files(&path, ending, found);
        } else if path.extension().is_some_and(|e| e == ending) {
            found.push(path);
        }
    }
}

/// A source without its comments, its texts and its tests.
fn code_of(path: &Path) -> String {
    let text = std::fs::read_to_string(path).expect("a source");
    let text = text.split("#[cfg(test)]").next().unwrap_or_default();
    let lines = text.lines().map(|line| line.split("//").next().unwrap_or_default());
    format!("\n{}", lines.collect::<Vec<_>>().join("\n"))
}

/// The paths a Rust source names: `use` trees spread out, and what stands elsewhere with `::`.
fn paths_of(code: &str) -> Vec<String> {
    let mut paths = Vec::new();
    for head in ["use ", "pub use ", "pub(crate) use ", "pub(super) use "] {
        for (at, _) in code.match_indices(&format!("\n{head}")) {
            let tree = &code[at + 1 + head.len()..];
            spread("", &tree[..tree.find(';').unwrap_or(0)], &mut paths);
        }
    }
    // Paths within code; those of a `use` have been spread already.
    let path = |c: char| c.is_ascii_alphanumeric() || c == '_' || c == ':';
    paths.extend(code.split(|c| !path(c)).filter(|word| word.contains("::")).map(str::to_string));
    paths
}

/// The paths a source hands on with `pub use`.
fn handed_on(code: &str) -> Vec<String> {
    let mut paths = Vec::new();
    for head in ["pub use ", "pub(crate) use ", "pub(super) use "] {
        for (at, _) in code.match_indices(&format!("\n{head}")) {
            let tree = &code[at + 1 + head.len()..];
            spread("", &tree[..tree.find(';').unwrap_or(0)], &mut paths);
        }
    }
    paths
}

fn spread(head: &str, tree: &str, paths: &mut Vec<String>) {
    let (mut depth, mut from) = (0, 0);
    let mut parts = Vec::new();
    for (at, c) in tree.char_indices() {
        match c {
            '{' => depth += 1,
            '}' => depth -= 1,
            ',' if depth == 0 => {
                parts.push(&tree[from..at]);
                from = at + 1;
            }
            _ => {}
        }
    }
    parts.push(&tree[from..]);
    for part in parts.iter().map(|p| p.trim()).filter(|p| !p.is_empty()) {
        match part.find('{') {
            Some(open) => {
                let close = part.rfind('}').unwrap_or(part.len());
                spread(&format!("{head}{}", part[..open].trim()), &part[open + 1..close], paths);
            }
            None => paths.push(format!("{head}{}", part.split(" as ").next().unwrap_or(part).trim())),
        }
    }
}

/// The file a module path leads to from the crate's root: the deepest that is one.
fn file_of(root: &Path, segments: &[&str]) -> Option<PathBuf> {
    (1..=segments.len()).rev().find_map(|n| {
        let base = segments[..n].iter().fold(root.to_path_buf(), |path, s| path.join(s));
        [base.with_extension("rs"), base.join("mod.rs")].into_iter().find(|p| p.is_file())
    })
}

/// Where an item that a `mod.rs` hands on really stands.
fn behind(root: &Path, file: PathBuf, segments: &[&str]) -> PathBuf {
    let (Some(item), true) = (segments.last(), file.ends_with("mod.rs")) else { return file };
    let module = module_of(root, &file);
    for path in paths_of(&code_of(&file)) {
        let Some((inner, name)) = path.rsplit_once("::") else { continue };
        if name == *item && !inner.starts_with("crate") && !inner.starts_with("super") {
            let mut inner: Vec<&str> = module.iter().map(String::as_str).chain(inner.split("::")).collect();
            inner.push(item);
            if let Some(found) = file_of(root, &inner).filter(|found| *found != file) {
                return behind(root, found, &inner);
            }
        }
    }
    file
}

fn module_of(root: &Path, file: &Path) -> Vec<String> {
    let inside = file.strip_prefix(root).expect("inside").with_extension("");
    let mut segments: Vec<String> = inside.iter().map(|s| s.to_string_lossy().into_owned()).collect();
    if segments.last().is_some_and(|s| s == "mod" || s == "lib" || s == "main") {
        segments.pop();
    }
    segments
}

fn rust_graph(root: &Path) -> Graph {
    let mut sources = Vec::new();
    files(root, "rs", &mut sources);
    let edges = |file: &PathBuf| {
        let module = module_of(root, file);
        let is_folder = ["mod.rs", "lib.rs", "main.rs"].iter().any(|name| file.ends_with(name));
        let handed_on = handed_on(&code_of(file));
        let mut uses = BTreeSet::new();
        for path in paths_of(&code_of(file)) {
            let mut segments: Vec<&str> = path.split("::").collect();
            let mut base: Vec<String> = match segments[0] {
                "crate" => Vec::new(),
                "super" | "self" => module.clone(),
                // A room of this folder by its name; what is only handed on counts for nothing.
                room if is_folder && !handed_on.contains(&path) => {
                    let own: Vec<&str> = module.iter().map(String::as_str).chain([room]).collect();
                    match file_of(root, &own) {
                        Some(found) if found != *file && own.len() == module.len() + 1 => module.clone(),
                        _ => continue,
                    }
                }
                _ => continue,
            };
            segments.retain(|s| *s != "crate");
            if !is_folder && segments.first() == Some(&"super") {
                base.pop();
                segments.remove(0);
            }
            while segments.first() == Some(&"super") {
                base.pop();
                segments.remove(0);
            }
            segments.retain(|s| *s != "self");
            let full: Vec<&str> = base.iter().map(String::as_str).chain(segments).collect();
            if let Some(found) = file_of(root, &full) {
                uses.insert(behind(root, found, &full));
            }
        }
        uses.remove(file);
        uses
    };
    sources.iter().map(|file| (file.clone(), edges(file))).collect()
}

fn page_graph(root: &Path) -> Graph {
    let mut sources = Vec::new();
    files(root, "js", &mut sources);
    let edges = |file: &PathBuf| {
        let text = std::fs::read_to_string(file).expect("a source");
        let named = |line: &str| {
            let line = line.trim_start();
            let imports = line.starts_with("import ") || line.starts_with("export ") || line.starts_with("} from ");
            let from = line.rfind(" from '").map(|at| at + 7).or_else(|| line.starts_with("import '").then_some(8))?;
            let path = line[from..].split('\'').next()?;
            imports.then(|| path.to_string())
        };
        let folder = file.parent().expect("in a folder");
        text.lines().filter_map(named).filter_map(|path| folder.join(path).canonicalize().ok()).collect()
    };
    sources.iter().map(|file| (file.canonicalize().expect("a file"), edges(file))).collect()
}

/// A circle, if there is one.
fn circle(graph: &Graph) -> Option<Vec<PathBuf>> {
    fn walk(
        graph: &Graph,
        at: &PathBuf,
        path: &mut Vec<PathBuf>,
        done: &mut BTreeSet<PathBuf>,
    ) -> Option<Vec<PathBuf>> {
        if let Some(start) = path.iter().position(|p| p == at) {
            return Some(path[start..].to_vec());
        }
        if !done.contains(at) {
            path.push(at.clone());
            for next in graph.get(at).into_iter().flatten() {
                if let Some(found) = walk(graph, next, path, done) {
                    return Some(found);
                }
            }
            path.pop();
            done.insert(at.clone());
        }
        None
    }
    let mut done = BTreeSet::new();
    graph.keys().find_map(|file| walk(graph, file, &mut Vec::new(), &mut done))
}

fn assert_no_circle(graph: &Graph, at_least: usize) {
    let edges: usize = graph.values().map(BTreeSet::len).sum();
    assert!(graph.len() >= at_least && edges > 0, "{} files with {edges} dependencies were found", graph.len());
    if let Some(files) = circle(graph) {
        let names: Vec<String> = files.iter().map(|f| f.display().to_string()).collect();
        panic!("a circle of {} files:\n  {}", names.len(), names.join("\n  "));
    }
}

fn house() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..").canonicalize().expect("the repository")
}

#[test]
fn no_circle_of_files_in_the_core() {
    assert_no_circle(&rust_graph(&house().join("core/src")), 80);
}

#[test]
fn no_circle_of_files_in_the_server() {
    assert_no_circle(&rust_graph(&house().join("server/src")), 40);
}

#[test]
fn no_circle_of_files_in_the_demo_the_sound_files_and_the_engine() {
    assert_no_circle(&rust_graph(&house().join("demo/src")), 10);
    assert_no_circle(&rust_graph(&house().join("sound/src")), 4);
    assert_no_circle(&rust_graph(&house().join("engine/src")), 4);
}

#[test]
fn no_circle_of_modules_in_the_page() {
    assert_no_circle(&page_graph(&house().join("server/static/js")), 40);
}

#[test]
fn a_circle_would_be_found() {
    let file = |name: &str| PathBuf::from(name);
    let graph: Graph = [("a", "b"), ("b", "c"), ("c", "b")]
        .into_iter()
        .map(|(from, to)| (file(from), BTreeSet::from([file(to)])))
        .collect();
    assert_eq!(circle(&graph), Some(vec![file("b"), file("c")]));
}
