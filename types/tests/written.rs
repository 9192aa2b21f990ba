//! What is made from the core's types and tables, and the figures that documents name, are those of the core as it is.
#![allow(missing_docs, clippy::expect_used)] // a test may say what must hold by failing

use zinc_core::course::MAX_POINTS;
use zinc_core::rack::MAX_SHAPES;
use zinc_core::signal::BLOCK;
use zinc_core::unit::catalogue::KINDS;

fn committed(path: &str) -> String {
    let path = format!("{}/../{path}", env!("CARGO_MANIFEST_DIR"));
    std::fs::read_to_string(&path).expect("it is committed")
}

#[test]
fn the_committed_declarations_are_those_of_the_core() {
    let is_current = committed("server/static/js/types.d.ts") == zinc_types::declarations();
    assert!(is_current, "run ./zinc types and commit what it writes");
}

#[test]
fn the_parameters_that_are_listed_for_people_are_those_of_the_tables() {
    let page = zinc_types::parameters();
    assert!(committed("docs/parameters.md") == page, "run ./zinc types and commit what it writes");
    for kind in KINDS {
        let lists = kind.tables.lists.iter().flat_map(|list| list.params);
        let all = kind.tables.params.iter().chain(lists).filter(|param| page.contains(&format!("| `{}` |", param.id)));
        let count = kind.tables.params.len() + kind.tables.lists.iter().map(|list| list.params.len()).sum::<usize>();
        assert!(all.count() == count && page.contains(&format!("## `{}`: {}", kind.id, kind.name)), "{}", kind.id);
    }
}

#[test]
fn figures_that_the_documents_name_are_the_codes_own() {
    for (document, sentence) in [
        ("ARCHITECTURE.md", format!("blocks of {BLOCK} frames")),
        ("ARCHITECTURE.md", format!("one block ({BLOCK} frames)")),
        ("docs/rack-file.md", format!("At most {MAX_POINTS} points a lane")),
        ("docs/rack-file.md", format!("at most {MAX_SHAPES} combinations over the song")),
    ] {
        let words = committed(document).split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(words.contains(&sentence), "{document} does not say: {sentence}");
    }
}
