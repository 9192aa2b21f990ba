//! What nobody can guess.

/// Letters and digits that cannot be taken for each other.
const ALPHABET: &[u8; 32] = b"abcdefghijkmnpqrstuvwxyz23456789";
/// Characters of a secret, in groups of four: 80 bits.
const CHARACTERS: usize = 16;

/// Characters that nobody can guess, in groups.
///
/// # Errors
/// A machine that has no random numbers.
pub fn secret() -> Result<String, getrandom::Error> {
    let mut bytes = [0u8; CHARACTERS];
    getrandom::fill(&mut bytes)?;
    // 256 is a whole number of alphabets: all are as likely.
    let characters: Vec<char> = bytes.iter().map(|b| char::from(ALPHABET[usize::from(*b) % ALPHABET.len()])).collect();
    Ok(characters.chunks(4).map(String::from_iter).collect::<Vec<_>>().join("-"))
}

/// The name of the header by which the gate tells the server who asks. It is a secret of this run: whoever finds the
/// server's own address can say nothing by it.
#[derive(Clone)]
pub struct GateHeader(String);

impl GateHeader {
    /// A fresh one.
    ///
    /// # Errors
    /// A machine that has no random numbers.
    pub fn new() -> Result<Self, getrandom::Error> {
        Ok(Self(format!("x-asked-from-{}", secret()?)))
    }

    /// The header's name.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.0
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    #[test]
    fn a_secret_is_four_groups_of_letters_that_nobody_confuses_and_no_two_are_alike() {
        let one = secret().unwrap();
        assert_eq!(one.split('-').map(str::len).collect::<Vec<_>>(), [4; 4]);
        assert!(one.bytes().all(|b| b == b'-' || ALPHABET.contains(&b)));
        assert_ne!(one, secret().unwrap());
    }
}
