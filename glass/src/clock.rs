//! This machine's clock.

/// Milliseconds since 1970.
#[cfg(target_arch = "wasm32")]
pub fn machine() -> f64 {
    js_sys::Date::now()
}

/// Milliseconds since 1970; for tests, which run without a browser.
#[cfg(not(target_arch = "wasm32"))]
pub fn machine() -> f64 {
    let since = std::time::UNIX_EPOCH.elapsed();
    since.map_or(0.0, |d| d.as_secs_f64() * 1000.0)
}
