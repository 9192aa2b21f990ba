//! What the Rust sources of a crate depend on, read with a parser.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use proc_macro2::{TokenStream, TokenTree};
use syn::visit::{self, Visit};
use syn::{Attribute, Item, ItemUse, Macro, UseTree, Visibility};

use super::{Graph, files};

/// The paths a source names outside its tests, as written.
#[derive(Default)]
struct Paths {
    all: Vec<Vec<String>>,
    /// Those it hands on with `pub use`.
    handed_on: BTreeSet<Vec<String>>,
}

impl Paths {
    fn of(file: &Path) -> Self {
        let text = std::fs::read_to_string(file).expect("a source");
        let parsed = syn::parse_file(&text).unwrap_or_else(|e| panic!("{}: {e}", file.display()));
        let mut paths = Self::default();
        paths.visit_file(&parsed);
        paths
    }

    fn spread(head: &[String], tree: &UseTree, found: &mut Vec<Vec<String>>) {
        let with = |ident: &syn::Ident| head.iter().cloned().chain([ident.to_string()]).collect::<Vec<_>>();
        match tree {
            UseTree::Path(path) => Self::spread(&with(&path.ident), &path.tree, found),
            UseTree::Name(name) => found.push(with(&name.ident)),
            UseTree::Rename(rename) => found.push(with(&rename.ident)),
            UseTree::Glob(_) => found.push(head.to_vec()),
            UseTree::Group(group) => group.items.iter().for_each(|tree| Self::spread(head, tree, found)),
        }
    }

    /// What is written within a macro is not parsed: names with `::` between them are paths there too.
    fn scan(&mut self, tokens: TokenStream) {
        let (mut path, mut colons) = (Vec::new(), 0);
        for token in tokens {
            match token {
                TokenTree::Ident(ident) if path.is_empty() || colons == 2 => {
                    path.push(ident.to_string());
                    colons = 0;
                }
                TokenTree::Punct(punct) if punct.as_char() == ':' && !path.is_empty() => colons += 1,
                other => {
                    self.take(std::mem::take(&mut path));
                    colons = 0;
                    match other {
                        TokenTree::Ident(ident) => path.push(ident.to_string()),
                        TokenTree::Group(group) => self.scan(group.stream()),
                        _ => {}
                    }
                }
            }
        }
        self.take(path);
    }

    fn take(&mut self, path: Vec<String>) {
        if path.len() > 1 {
            self.all.push(path);
        }
    }
}

/// All sources of a crate, each parsed once.
type Parsed = BTreeMap<PathBuf, Paths>;

fn is_test(attributes: &[Attribute]) -> bool {
    attributes
        .iter()
        .any(|a| a.path().is_ident("cfg") && a.parse_args::<syn::Ident>().is_ok_and(|condition| condition == "test"))
}

fn attributes_of(item: &Item) -> &[Attribute] {
    match item {
        Item::Mod(item) => &item.attrs,
        Item::Fn(item) => &item.attrs,
        Item::Impl(item) => &item.attrs,
        Item::Use(item) => &item.attrs,
        Item::Const(item) => &item.attrs,
        Item::Static(item) => &item.attrs,
        Item::Struct(item) => &item.attrs,
        _ => &[],
    }
}

impl<'a> Visit<'a> for Paths {
    fn visit_item(&mut self, item: &'a Item) {
        if !is_test(attributes_of(item)) {
            visit::visit_item(self, item);
        }
    }

    fn visit_item_use(&mut self, item: &'a ItemUse) {
        let mut found = Vec::new();
        Self::spread(&[], &item.tree, &mut found);
        if !matches!(item.vis, Visibility::Inherited) {
            self.handed_on.extend(found.iter().cloned());
        }
        self.all.extend(found);
    }

    fn visit_path(&mut self, path: &'a syn::Path) {
        self.take(path.segments.iter().map(|segment| segment.ident.to_string()).collect());
        visit::visit_path(self, path);
    }

    fn visit_macro(&mut self, item: &'a Macro) {
        self.scan(item.tokens.clone());
        visit::visit_macro(self, item);
    }
}

/// The file a module path leads to from the crate's root: the deepest that is one.
fn file_of(root: &Path, segments: &[&str]) -> Option<PathBuf> {
    (1..=segments.len()).rev().find_map(|n| {
        let base = segments[..n].iter().fold(root.to_path_buf(), |path, s| path.join(s));
        [base.with_extension("rs"), base.join("mod.rs")].into_iter().find(|p| p.is_file())
    })
}

fn module_of(root: &Path, file: &Path) -> Vec<String> {
    let inside = file.strip_prefix(root).expect("inside").with_extension("");
    let mut segments: Vec<String> = inside.iter().map(|s| s.to_string_lossy().into_owned()).collect();
    if segments.last().is_some_and(|s| s == "mod" || s == "lib" || s == "main") {
        segments.pop();
    }
    segments
}

/// Where an item that a `mod.rs` hands on really stands.
fn behind(root: &Path, parsed: &Parsed, file: PathBuf, segments: &[&str]) -> PathBuf {
    let (Some(item), true) = (segments.last(), file.ends_with("mod.rs")) else { return file };
    let module = module_of(root, &file);
    for path in parsed.get(&file).map_or(&[][..], |paths| &paths.all) {
        let Some((name, inner)) = path.split_last() else { continue };
        if name == item && inner.first().is_some_and(|first| first != "crate" && first != "super") {
            let inner = module.iter().chain(inner).chain([name]).map(String::as_str).collect::<Vec<_>>();
            if let Some(found) = file_of(root, &inner).filter(|found| *found != file) {
                return behind(root, parsed, found, &inner);
            }
        }
    }
    file
}

/// The files of a crate and what each depends on. A `mod.rs` that lists its rooms depends on none of them, nor on what
/// it hands on; what it names otherwise counts.
pub fn graph(root: &Path) -> Graph {
    let mut sources = Vec::new();
    files(root, "rs", &mut sources);
    let parsed: Parsed = sources.into_iter().map(|file| (file.clone(), Paths::of(&file))).collect();
    parsed.keys().map(|file| (file.clone(), uses(root, &parsed, file))).collect()
}

fn uses(root: &Path, parsed: &Parsed, file: &Path) -> BTreeSet<PathBuf> {
    let module = module_of(root, file);
    let is_folder = ["mod.rs", "lib.rs", "main.rs"].iter().any(|name| file.ends_with(name));
    let Paths { all, handed_on } = &parsed[file];
    let mut uses = BTreeSet::new();
    for path in all {
        let mut segments: Vec<&str> = path.iter().map(String::as_str).collect();
        let mut base: Vec<&str> = match segments[0] {
            "crate" => Vec::new(),
            "super" | "self" => module.iter().map(String::as_str).collect(),
            // A room of this folder by its name.
            room if is_folder && !handed_on.contains(path) => {
                let own: Vec<&str> = module.iter().map(String::as_str).chain([room]).collect();
                if !is_module(root, &own) {
                    continue;
                }
                module.iter().map(String::as_str).collect()
            }
            _ => continue,
        };
        segments.retain(|s| *s != "crate");
        while segments.first() == Some(&"super") {
            base.pop();
            segments.remove(0);
        }
        segments.retain(|s| *s != "self");
        let full: Vec<&str> = base.iter().copied().chain(segments).collect();
        if let Some(found) = file_of(root, &full) {
            uses.insert(behind(root, parsed, found, &full));
        }
    }
    uses.remove(file);
    uses
}

/// Whether a module path is a file itself and not only within one.
fn is_module(root: &Path, segments: &[&str]) -> bool {
    let base = segments.iter().fold(root.to_path_buf(), |path, s| path.join(s));
    base.with_extension("rs").is_file() || base.join("mod.rs").is_file()
}
