//! The modules of a page's script. A browser finds what a module imports only once it has that module; told of all of them
//! at once it fetches them side by side.

use std::collections::HashMap;
use std::path::{Component, Path, PathBuf};
use std::sync::{Arc, Mutex, OnceLock};

use crate::jobs::lock;

/// Folder of the page's modules.
const FOLDER: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/static/js");

/// Addresses of a script of a page and of all that it imports, looked for once; `script` is its path among the modules.
/// A file that cannot be read is left out: the browser finds it, or says that it does not.
#[must_use]
pub fn of(script: &str) -> Arc<Vec<String>> {
    static KNOWN: OnceLock<Mutex<HashMap<String, Arc<Vec<String>>>>> = OnceLock::new();
    let mut known = lock(KNOWN.get_or_init(Mutex::default));
    Arc::clone(known.entry(script.to_string()).or_insert_with(|| Arc::new(all(Path::new(FOLDER), script))))
}

fn all(folder: &Path, script: &str) -> Vec<String> {
    let (mut found, mut at) = (vec![PathBuf::from(script)], 0);
    while let Some(module) = found.get(at).cloned() {
        let Ok(text) = std::fs::read_to_string(folder.join(&module)) else {
            found.remove(at);
            continue;
        };
        at += 1;
        let beside = module.parent().unwrap_or(Path::new(""));
        for imported in imports(&text).filter_map(|path| within(&beside.join(path))) {
            if !found.contains(&imported) {
                found.push(imported);
            }
        }
    }
    found.iter().map(|module| format!("/static/js/{}", module.display())).collect()
}

/// What a module imports, as it names it: a relative path between single quotes at the end of its line.
fn imports(text: &str) -> impl Iterator<Item = &str> {
    text.lines().filter_map(|line| {
        let line = line.trim();
        let begins = ["import ", "export ", "} from "].iter().any(|word| line.starts_with(word));
        let path = line.strip_suffix("';").filter(|_| begins)?;
        path.rsplit_once('\'').map(|(_, path)| path).filter(|path| path.starts_with('.'))
    })
}

/// A path without steps up, which stays within its folder; none for one that leaves it.
fn within(path: &Path) -> Option<PathBuf> {
    let mut plain = PathBuf::new();
    for step in path.components() {
        match step {
            Component::Normal(name) => plain.push(name),
            Component::ParentDir => plain.pop().then_some(())?,
            Component::CurDir => {}
            _ => return None,
        }
    }
    Some(plain)
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    #[test]
    fn all_that_a_script_imports_is_named_once_however_far_behind_it_and_what_is_not_there_is_left_out() {
        let folder = tempfile::tempdir().unwrap();
        let write = |path: &str, text: &str| {
            let file = folder.path().join(path);
            std::fs::create_dir_all(file.parent().unwrap()).unwrap();
            std::fs::write(file, text).unwrap();
        };
        write("views/a.js", "import { x } from './b/c.js';\nimport '../d.js';\nconst far = import('../late.js');\n");
        write(
            "views/b/c.js",
            "import {\n  y,\n} from '../../d.js';\nexport { z } from './gone.js';\nimport './../../../out.js';\n",
        );
        write("d.js", "import * as a from './views/a.js';\n// import './never.js';\n");
        assert_eq!(
            all(folder.path(), "views/a.js"),
            ["/static/js/views/a.js", "/static/js/views/b/c.js", "/static/js/d.js"]
        );
    }

    #[test]
    fn every_page_of_a_session_names_the_engine_and_no_module_that_is_not_there() {
        for page in ["desk", "bench", "measure", "prints"] {
            let modules = of(&format!("views/{page}.js"));
            assert!(modules.iter().any(|module| module == "/static/js/engine/ask.js"), "{page}");
            let files = modules.iter().map(|module| module.replacen("/static/js", FOLDER, 1));
            assert!(files.clone().all(|file| Path::new(&file).is_file()), "{page}");
            assert!(files.count() > 10, "{page}");
        }
    }
}
