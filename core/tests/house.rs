//! The house has no circles, and its floors stand in the order that ARCHITECTURE.md gives.
//!
//! Of the Rust sources of every crate, read with a parser ([`rust`]), and of the page's modules. Tests may look anywhere.
#![allow(missing_docs, clippy::expect_used)] // a test may say what must hold by failing

#[path = "house/rust.rs"]
mod rust;

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

type Graph = BTreeMap<PathBuf, BTreeSet<PathBuf>>;

/// Every file of a folder and those within it with this ending.
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

/// The floors of the core, from the ground up, as ARCHITECTURE.md draws them.
fn floors() -> Vec<String> {
    let text = std::fs::read_to_string(house().join("ARCHITECTURE.md")).expect("it is there");
    let drawn = text.split("```\ncore/src\n").nth(1).and_then(|rest| rest.split("```").next()).expect("the floors");
    let name = |line: &str| line.strip_prefix("  ")?.split_once("/ ").map(|(name, _)| name.to_string());
    drawn.lines().filter_map(name).filter(|name| !name.starts_with(' ')).collect()
}

#[test]
fn no_floor_of_the_core_rests_on_one_above_it() {
    let (root, floors) = (house().join("core/src"), floors());
    let mut folders: Vec<String> = std::fs::read_dir(&root)
        .expect("the core")
        .flatten()
        .filter(|entry| entry.path().is_dir())
        .map(|entry| entry.file_name().to_string_lossy().into_owned())
        .collect();
    let mut drawn = floors.clone();
    folders.sort();
    drawn.sort();
    assert_eq!(folders, drawn, "what is drawn is what is there");
    let floor = |file: &Path| {
        let name = file.strip_prefix(&root).expect("inside").iter().next()?.to_string_lossy().into_owned();
        floors.iter().position(|f| *f == name)
    };
    let mut rests = 0;
    for (file, uses) in rust::graph(&root) {
        for used in uses {
            if let (Some(own), Some(other)) = (floor(&file), floor(&used)) {
                assert!(other <= own, "{} rests on {}", file.display(), used.display());
                rests += 1;
            }
        }
    }
    assert!(rests > 500, "{rests} dependencies were found");
}

#[test]
fn no_circle_of_files_in_the_core() {
    assert_no_circle(&rust::graph(&house().join("core/src")), 80);
}

#[test]
fn no_circle_of_files_in_the_server() {
    assert_no_circle(&rust::graph(&house().join("server/src")), 40);
}

#[test]
fn no_circle_of_files_in_the_demo_the_sound_files_and_the_engine() {
    assert_no_circle(&rust::graph(&house().join("demo/src")), 10);
    assert_no_circle(&rust::graph(&house().join("sound/src")), 4);
    assert_no_circle(&rust::graph(&house().join("engine/src")), 4);
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
