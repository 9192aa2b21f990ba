//! The declarations that the page is checked with are those of the core as it is.
#![allow(missing_docs, clippy::expect_used)] // a test may say what must hold by failing

#[test]
fn the_committed_declarations_are_those_of_the_core() {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../server/static/js/types.d.ts");
    let committed = std::fs::read_to_string(path).expect("the declarations are committed");
    assert!(committed == zinc_types::declarations(), "run ./zinc types and commit what it writes");
}
