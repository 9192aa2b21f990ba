//! Memory handed across the border, and answers handed back.

use std::cell::RefCell;

thread_local! {
    static ANSWER: RefCell<Vec<u8>> = const { RefCell::new(Vec::new()) };
}

/// Reserves `bytes` bytes, aligned for 32-bit numbers.
#[unsafe(no_mangle)]
pub extern "C" fn zr_reserve(bytes: usize) -> *mut u32 {
    let words = vec![0u32; bytes.div_ceil(4)].into_boxed_slice();
    Box::into_raw(words).cast()
}

/// Gives back what [`zr_reserve`] reserved with the same `bytes`.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_release(at: *mut u32, bytes: usize) {
    // SAFETY: see the crate's contract.
    drop(unsafe { Box::from_raw(std::ptr::slice_from_raw_parts_mut(at, bytes.div_ceil(4))) });
}

/// Where the last answer lies.
#[unsafe(no_mangle)]
pub extern "C" fn zr_answer() -> *const u8 {
    ANSWER.with_borrow(|a| a.as_ptr())
}

/// How many bytes the last answer has.
#[unsafe(no_mangle)]
pub extern "C" fn zr_answer_len() -> usize {
    ANSWER.with_borrow(Vec::len)
}

/// Leaves `text` as the answer.
pub(crate) fn answer(text: &str) {
    ANSWER.with_borrow_mut(|a| {
        a.clear();
        a.extend_from_slice(text.as_bytes());
    });
}

/// The text at `at`; empty if it is not UTF-8.
///
/// # Safety
/// See the crate's contract.
pub(crate) unsafe fn text<'a>(at: *const u8, len: usize) -> &'a str {
    // SAFETY: passed on to the caller.
    std::str::from_utf8(unsafe { std::slice::from_raw_parts(at, len) }).unwrap_or("")
}
