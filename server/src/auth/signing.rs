//! Marks by which the server knows again what it has given out, without keeping a list: HMAC with
//! SHA-256. Source: RFC 2104.

use hmac::{Hmac, KeyInit, Mac};
use rusqlite::{Connection, OptionalExtension, params};
use sha2::Sha256;
use subtle::ConstantTimeEq;

use crate::media::hex;
use crate::store;

/// What only the server knows.
pub type Secret = [u8; 32];

/// The server's secret; drawn when there is none.
pub fn secret(conn: &Connection) -> store::Result<Secret> {
    const KEY: &str = "secret";
    let kept: Option<String> = conn
        .prepare("SELECT value FROM setting WHERE key = ?1")?
        .query_row([KEY], |row| row.get(0))
        .optional()?;
    let digits = kept.as_deref().unwrap_or("").as_bytes();
    let byte = |pair: &[u8]| u8::from_str_radix(std::str::from_utf8(pair).ok()?, 16).ok();
    let known: Option<Vec<u8>> = digits.chunks(2).map(byte).collect();
    if let Some(known) = known
        && let Ok(secret) = known.try_into()
    {
        return Ok(secret);
    }
    let secret: Secret = rand::random();
    conn.execute(
        "INSERT INTO setting (key, value) VALUES (?1, ?2)
         ON CONFLICT (key) DO UPDATE SET value = excluded.value",
        params![KEY, hex(&secret)],
    )?;
    Ok(secret)
}

/// The mark of what is said for a purpose, in 32 hexadecimal digits; that of one purpose is of no use
/// for another.
pub fn mark(secret: &Secret, purpose: &str, said: &str) -> String {
    let mut mac = Hmac::<Sha256>::new_from_slice(secret).expect("a key of any length will do");
    mac.update(purpose.as_bytes());
    mac.update(&[0]);
    mac.update(said.as_bytes());
    hex(&mac.finalize().into_bytes()[..16])
}

/// Whether the server has given out this mark.
pub fn is_ours(secret: &Secret, purpose: &str, said: &str, mark: &str) -> bool {
    let right = self::mark(secret, purpose, said);
    right.as_bytes().ct_eq(mark.as_bytes()).into()
}
