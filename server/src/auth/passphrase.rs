//! The presenter passphrase: asked for whenever the server can be reached from other machines.

use argon2::Argon2;
use argon2::password_hash::phc::PasswordHash;
use argon2::password_hash::{PasswordHasher, PasswordVerifier};
use rusqlite::{Connection, OptionalExtension};

use crate::store;

const KEY: &str = "presenter_passphrase";

/// The shortest passphrase that is taken, in characters.
pub const SHORTEST: usize = 10;

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
