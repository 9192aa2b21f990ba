//! What a system refuses is said in words.
#![allow(missing_docs)]

use std::io::Error;

use zinc_sound::in_words;

#[test]
fn what_the_system_refuses_is_said_without_its_code() {
    // Codes of Linux: no such file, denied, exists, folder, full, only read, quota, too large, in use, no such address.
    let codes = [2, 13, 17, 21, 28, 30, 122, 27, 98, 99, 104, 110, 5, 24, 36];
    for code in codes {
        let refused = Error::from_raw_os_error(code);
        let words = in_words(&refused);
        assert!(!words.contains("os error") && words.len() > 8, "{code}: {words}");
    }
    assert!(in_words(&Error::from_raw_os_error(28)).contains("the disk is full"));
    assert_eq!(
        in_words(&Error::other("the file is not as long as it should be")),
        "the file is not as long as it should be"
    );
}
