//! A digest of the core's sources and of the lock file beside them, as `ZINC_CORE_DIGEST`: what a
//! print was made with is known from it, without anyone having to remember a version.

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

fn main() {
    let mut sources = Vec::new();
    files(Path::new("src"), &mut sources);
    sources.push("Cargo.toml".into());
    sources.push("../Cargo.lock".into());
    sources.sort();
    let mut digest = Fnv(0xcbf2_9ce4_8422_2325);
    for path in &sources {
        digest.add(path.to_string_lossy().as_bytes());
        digest.add(&std::fs::read(path).unwrap_or_default());
    }
    println!("cargo::rerun-if-changed=src");
    println!("cargo::rerun-if-changed=Cargo.toml");
    println!("cargo::rerun-if-changed=../Cargo.lock");
    println!("cargo::rustc-env=ZINC_CORE_DIGEST={:016x}", digest.0);
}
