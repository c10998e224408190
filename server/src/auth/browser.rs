//! A name for each browser, given to it in a signed cookie: by it tries are counted apart from those
//! of others behind the same address, and whoever is sent away is known again. It says nothing of
//! whose browser it is, and is kept only with those who joined a lesson.

use axum::http::HeaderMap;

use super::signing::{self, Secret};
use super::token;

/// A browser's name.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub struct Browser(pub u64);

const COOKIE: &str = "browser";
const DAYS: u32 = 180;

/// The browser that a request comes from, if it has a name that we gave it. Over `tls` the cookie is
/// another one.
pub fn of(secret: &Secret, tls: bool, headers: &HeaderMap) -> Option<Browser> {
    let cookie = token::cookie(headers, COOKIE, tls)?;
    let (name, mark) = cookie.split_once('-')?;
    let ours = signing::is_ours(secret, "browser", name, mark);
    let id = u64::from_str_radix(name, 16).ok()?;
    ours.then_some(Browser(id))
}

/// A new name, and the line that sets its cookie.
pub fn new(secret: &Secret, tls: bool) -> (Browser, String) {
    // The database's numbers have a sign.
    let browser = Browser(rand::random::<u64>() >> 1);
    let name = format!("{:x}", browser.0);
    let mark = signing::mark(secret, "browser", &name);
    let value = format!("{name}-{mark}");
    let line = token::set_cookie(COOKIE, &value, DAYS, tls);
    (browser, line)
}
