//! What a file system or a connection refuses, in words for people: codes of an operating system help nobody.

use std::io::{Error, ErrorKind};

/// Why it was refused; reads on after "since" or within brackets.
#[must_use]
pub fn in_words(refused: &Error) -> String {
    let words = match refused.kind() {
        ErrorKind::StorageFull | ErrorKind::QuotaExceeded => {
            "the disk is full: all that was kept before is safe; make room and try again"
        }
        ErrorKind::FileTooLarge => "the disk takes no file that is so large",
        ErrorKind::ReadOnlyFilesystem => "the disk can only be read",
        ErrorKind::PermissionDenied => "this program may not do that there",
        ErrorKind::NotFound => "there is no such file or folder",
        ErrorKind::IsADirectory => "it is a folder",
        ErrorKind::NotADirectory => "a part of its path is no folder",
        ErrorKind::AlreadyExists => "there is one already",
        ErrorKind::UnexpectedEof => "it ends too soon",
        ErrorKind::AddrInUse => "another program uses it",
        ErrorKind::AddrNotAvailable => "this machine has no such address",
        ErrorKind::BrokenPipe
        | ErrorKind::ConnectionReset
        | ErrorKind::ConnectionAborted
        | ErrorKind::NotConnected
        | ErrorKind::TimedOut => "the connection was interrupted",
        _ => return without_code(&refused.to_string()),
    };
    words.into()
}

/// A sentence of the system without its code.
fn without_code(words: &str) -> String {
    words.split_once(" (os error").map_or(words, |(words, _)| words).to_string()
}
