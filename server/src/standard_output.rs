//! What the program says on its standard output.

/// As `println!`, but for a reader that has gone (`zinc-rack rings a.wav | head -1`): what is
/// not wanted any more is not said, and nothing fails.
macro_rules! said {
    ($($words:tt)*) => {{
        use std::io::Write as _;
        let _ = writeln!(std::io::stdout(), $($words)*);
    }};
}
