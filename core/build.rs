//! A digest of what determines sound, as `ZINC_CORE_DIGEST`: the sources of the core, of what it transforms with and of
//! its face in the browser, and the versions of its own dependencies that are locked. A print is named by it, and the
//! committed engine module says it, so that neither can be older than the sources are.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

/// FNV-1a, 64 bits (Fowler, Noll, Vo): enough to tell one state of a folder from the next.
struct Fnv(u64);

impl Fnv {
    fn add(&mut self, bytes: &[u8]) {
        for byte in bytes {
            self.0 = (self.0 ^ u64::from(*byte)).wrapping_mul(0x0100_0000_01b3);
        }
    }
}

const FOLDERS: [&str; 3] = ["src", "../fourier/src", "../engine/src"];
const MANIFESTS: [&str; 2] = ["Cargo.toml", "../fourier/Cargo.toml"];
const LOCK: &str = "../Cargo.lock";

fn files(folder: &Path, found: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        let path = entry.path();
        if path.is_dir() {
            files(&path, found);
        } else {
            found.push(path);
        }
    }
}

/// The names under `[dependencies]` of a manifest that are not optional.
fn dependencies_of(manifest: &str) -> Vec<String> {
    let of = manifest.split("\n[dependencies]\n").nth(1).unwrap_or_default();
    let lines = of.lines().take_while(|line| !line.starts_with('['));
    let needed = lines.filter(|line| !line.contains("optional = true"));
    needed.filter_map(|line| Some(line.split_once(" = ")?.0.to_string())).collect()
}

/// Version and dependencies of each package of a lock file, by its name.
fn locked(lock: &str) -> BTreeMap<&str, (&str, Vec<&str>)> {
    lock.split("[[package]]")
        .skip(1)
        .map(|package| {
            let of = |key: &str| {
                let line = package.lines().find_map(|line| line.strip_prefix(key)).unwrap_or_default();
                line.trim_matches('"')
            };
            let needs = package.split("dependencies = [").nth(1).unwrap_or_default();
            let needs = needs.split(']').next().unwrap_or_default().split('"').skip(1).step_by(2);
            (of("name = "), (of("version = "), needs.map(|need| need.split(' ').next().unwrap_or(need)).collect()))
        })
        .collect()
}

fn main() {
    let mut digest = Fnv(0xcbf2_9ce4_8422_2325);
    let mut sources = Vec::new();
    FOLDERS.iter().for_each(|folder| files(Path::new(folder), &mut sources));
    sources.sort();
    for path in &sources {
        digest.add(path.to_string_lossy().as_bytes());
        digest.add(&std::fs::read(path).unwrap_or_default());
    }
    let lock = std::fs::read_to_string(LOCK).unwrap_or_default();
    let packages = locked(&lock);
    let manifests = MANIFESTS.map(|path| std::fs::read_to_string(path).unwrap_or_default());
    let mut wanted: Vec<String> = manifests.iter().flat_map(|manifest| dependencies_of(manifest)).collect();
    let mut seen = BTreeSet::new();
    while let Some(name) = wanted.pop() {
        if let Some((version, needs)) = packages.get(name.as_str()).filter(|_| !name.starts_with("zinc-"))
            && seen.insert(format!("{name} {version}\n"))
        {
            wanted.extend(needs.iter().map(|need| (*need).to_string()));
        }
    }
    seen.iter().for_each(|package| digest.add(package.as_bytes()));
    for path in FOLDERS.iter().chain(&MANIFESTS).chain([&LOCK]) {
        println!("cargo::rerun-if-changed={path}");
    }
    println!("cargo::rustc-env=ZINC_CORE_DIGEST={:016x}", digest.0);
}
