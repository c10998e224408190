//! The presenter passphrase: asked for whenever the server can be reached from other machines.

use argon2::Argon2;
use argon2::password_hash::phc::PasswordHash;
use argon2::password_hash::{PasswordHasher, PasswordVerifier};
use rusqlite::{Connection, OptionalExtension};
use zxcvbn::{Score, zxcvbn};

use crate::store;

const KEY: &str = "presenter_passphrase";

/// The shortest passphrase that is taken, in characters.
pub const SHORTEST: usize = 10;

/// Why a passphrase is not taken.
///
/// How many guesses it takes is estimated by zxcvbn (D. L. Wheeler, *zxcvbn: Low-Budget Password
/// Strength Estimation*, USENIX Security 2016); below 10⁸ it is too few: at the rate at which they
/// can be tried here, those are thirty years, but the file may be stolen.
pub fn weakness(passphrase: &str) -> Option<String> {
    if passphrase.chars().count() < SHORTEST {
        return Some(format!("it needs at least {SHORTEST} characters"));
    }
    let estimate = zxcvbn(
        passphrase,
        &["bozzetto", "presenter", "passphrase", "lesson"],
    );
    if estimate.score() >= Score::Three {
        return None;
    }
    let feedback = estimate.feedback();
    let warning = feedback.and_then(|f| f.warning()).map(|w| w.to_string());
    let hint = "several words that do not belong together are harder to guess";
    Some(match warning {
        Some(warning) => format!("it is too easy to guess. {warning} Hint: {hint}"),
        None => format!("it is too easy to guess; {hint}"),
    })
}

/// Keeps the passphrase's argon2id hash in place of any other, and ends all presenters' sessions.
pub fn set(conn: &Connection, passphrase: &str) -> store::Result<()> {
    let hash = Argon2::default()
        .hash_password(passphrase.as_bytes())
        .map_err(|e| store::StoreError(e.to_string()))?
        .to_string();
    conn.execute(
        "INSERT INTO setting (key, value) VALUES (?1, ?2)
         ON CONFLICT (key) DO UPDATE SET value = excluded.value",
        [KEY, &hash],
    )?;
    conn.execute("DELETE FROM presenter_session", [])?;
    Ok(())
}

/// The hash, if a passphrase has been set.
pub fn hash(conn: &Connection) -> store::Result<Option<String>> {
    let mut statement = conn.prepare("SELECT value FROM setting WHERE key = ?1")?;
    Ok(statement.query_row([KEY], |row| row.get(0)).optional()?)
}

/// Whether this is the passphrase; slow on purpose.
pub fn is_right(hash: &str, passphrase: &str) -> bool {
    PasswordHash::new(hash).is_ok_and(|hash| {
        Argon2::default()
            .verify_password(passphrase.as_bytes(), &hash)
            .is_ok()
    })
}
