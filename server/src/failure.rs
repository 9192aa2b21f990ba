//! Why the program could not do what was asked: a sentence and an exit code.

/// Why a command failed.
#[derive(Debug)]
pub struct Failure {
    /// 1: the work could not be done; 2: what was asked makes no sense; 3: `check` found faults.
    pub code: u8,
    sentence: String,
}

impl Failure {
    /// The work could not be done.
    pub fn work(sentence: impl Into<String>) -> Self {
        Self { code: 1, sentence: sentence.into() }
    }

    /// Faults were looked for and found.
    pub fn found(sentence: impl Into<String>) -> Self {
        Self { code: 3, sentence: sentence.into() }
    }

    /// The input makes no sense.
    pub fn input(sentence: impl Into<String>) -> Self {
        Self { code: 2, sentence: sentence.into() }
    }
}

impl std::fmt::Display for Failure {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.sentence)
    }
}
