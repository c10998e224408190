//! The presenter's settings: kept on the server, so that they are the same on display and laptop.

mod routes;

use bozzetto_core::settings::Settings;
use rusqlite::{Connection, OptionalExtension};

use crate::store;

pub use routes::routes;

const KEY: &str = "presenter_settings";

/// The settings; those that everybody starts with while none are kept.
pub fn read(conn: &Connection) -> store::Result<Settings> {
    let mut statement = conn.prepare_cached("SELECT value FROM setting WHERE key = ?1")?;
    let json: Option<String> = statement.query_row([KEY], |row| row.get(0)).optional()?;
    let known = json.and_then(|json| serde_json::from_str::<Settings>(&json).ok());
    Ok(known.unwrap_or_default().settled())
}

/// Keeps settings in place of those before.
pub fn keep(conn: &Connection, settings: &Settings) -> store::Result<()> {
    let json = serde_json::to_string(settings).map_err(|e| store::StoreError(e.to_string()))?;
    conn.execute(
        "INSERT INTO setting (key, value) VALUES (?1, ?2)
         ON CONFLICT (key) DO UPDATE SET value = excluded.value",
        [KEY, &json],
    )?;
    Ok(())
}
