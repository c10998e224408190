//! Secrets that browsers carry in cookies. The database holds only their hashes.

use axum::http::HeaderMap;
use axum::http::header::COOKIE;
use sha2::{Digest, Sha256};

use crate::media::hex;

/// 256 random bits, in hexadecimal.
pub fn new() -> String {
    hex(&rand::random::<[u8; 32]>())
}

/// What the database keeps of a token. A plain hash will do: there is nothing to guess.
pub fn hash(token: &str) -> String {
    hex(&Sha256::digest(token.as_bytes()))
}

/// A cookie of this name, if the browser sent one.
pub fn cookie<'a>(headers: &'a HeaderMap, name: &str, secure: bool) -> Option<&'a str> {
    let name = named(name, secure);
    headers
        .get_all(COOKIE)
        .iter()
        .filter_map(|v| v.to_str().ok())
        .flat_map(|v| v.split(';'))
        .filter_map(|pair| pair.trim().split_once('='))
        .find(|(key, _)| *key == name)
        .map(|(_, value)| value)
}

/// The line that sets a cookie for `days`; scripts cannot read it, other sites cannot send it.
pub fn set_cookie(name: &str, value: &str, days: u32, secure: bool) -> String {
    let (name, age) = (named(name, secure), days * 24 * 3600);
    let secure = if secure { "; Secure" } else { "" };
    format!("{name}={value}; Path=/; Max-Age={age}; HttpOnly; SameSite=Lax{secure}")
}

/// The line that makes a browser forget a cookie that an earlier release set for one path only: it
/// would be sent before the one for all paths, and be believed instead of it.
pub fn forget_cookie_for(path: &str, name: &str) -> String {
    format!("{name}=; Path={path}; Max-Age=0; HttpOnly; SameSite=Lax")
}

/// Over TLS a cookie's name says that only this very host has set it, over TLS, for all of itself.
/// Source: RFC 6265bis, section 4.1.3.2.
fn named(name: &str, secure: bool) -> String {
    match secure {
        true => format!("__Host-{name}"),
        false => name.to_owned(),
    }
}
