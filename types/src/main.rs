//! Writes the declarations to the file that is named.

use std::process::ExitCode;

fn main() -> ExitCode {
    let Some(path) = std::env::args().nth(1) else {
        eprintln!("Name the file to write the declarations to.");
        return ExitCode::FAILURE;
    };
    match std::fs::write(&path, zinc_types::declarations()) {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("{path} was not written: {error}. What was there is as it was, or begun anew; run it again.");
            ExitCode::FAILURE
        }
    }
}
