//! The short code with which participants join a lesson.

/// Letters and digits that nobody takes for one another, whether read from the back row or heard:
/// none of 0 O Q D, 1 I L, 2 Z, 5 S, 6 G, 8 B, U V.
pub const ALPHABET: &[u8; 19] = b"ACEFHJKMNPRTWXY3479";

/// How long a code is. 19 to the power of 8 are 17 thousand million codes: see `docs/SECURITY.md` for
/// how long guessing one takes.
pub const LENGTH: usize = 8;

/// A code from random bytes, one for each character; `None` for a byte that would favour some
/// characters over others: draw again.
pub fn character(random: u8) -> Option<char> {
    let fair = 256 / ALPHABET.len() * ALPHABET.len();
    let i = usize::from(random);
    (i < fair).then(|| char::from(ALPHABET[i % ALPHABET.len()]))
}

/// What somebody typed as the code it means: upper case, without spaces and dashes. `None` when it
/// cannot be a code.
///
/// ```
/// use bozzetto_core::people::join_code::normalise;
/// assert_eq!(normalise(" kxt4-rn7a").as_deref(), Some("KXT4RN7A"));
/// assert_eq!(normalise("KXT4 RN0A"), None);
/// ```
pub fn normalise(typed: &str) -> Option<String> {
    let code: String = typed
        .chars()
        .filter(|c| !c.is_whitespace() && !"-\u{2013}.".contains(*c))
        .map(|c| c.to_ascii_uppercase())
        .collect();
    let fits = code.len() == LENGTH && code.bytes().all(|b| ALPHABET.contains(&b));
    fits.then_some(code)
}

/// A code as it is shown, in two halves.
///
/// ```
/// assert_eq!(bozzetto_core::people::join_code::shown("KXT4RN7A"), "KXT4 RN7A");
/// ```
pub fn shown(code: &str) -> String {
    match code.split_at_checked(LENGTH / 2) {
        Some((a, b)) => format!("{a} {b}"),
        None => code.to_owned(),
    }
}
