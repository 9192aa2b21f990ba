//! Writes what is made from the core's tables and types: the declarations for the page, and the parameters for people.

use std::process::ExitCode;

fn main() -> ExitCode {
    let mut paths = std::env::args().skip(1);
    let (Some(declarations), Some(parameters)) = (paths.next(), paths.next()) else {
        eprintln!("Name the file to write the declarations to, and the one for the parameters.");
        return ExitCode::FAILURE;
    };
    for (path, text) in [(declarations, zinc_types::declarations()), (parameters, zinc_types::parameters())] {
        if let Err(error) = std::fs::write(&path, text) {
            eprintln!("{path} was not written: {error}. What was there is as it was, or begun anew; run it again.");
            return ExitCode::FAILURE;
        }
    }
    ExitCode::SUCCESS
}
