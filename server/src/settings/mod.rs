//! The presenter's settings: kept on the server, so that they are the same on display and laptop.

mod routes;

use bozzetto_core::prefs::settings::Settings;
use rusqlite::{Connection, OptionalExtension};
use serde_json::{Map, Value};

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

/// The settings with some fields set anew; those that are no settings are left out.
pub fn merged(settings: &Settings, fields: Map<String, Value>) -> Settings {
    let Ok(Value::Object(mut all)) = serde_json::to_value(settings) else {
        return settings.clone();
    };
    for (field, value) in fields {
        let before = all.insert(field.clone(), value);
        let whole = Value::Object(all.clone());
        if before.is_none() || serde_json::from_value::<Settings>(whole).is_err() {
            all.remove(&field);
            all.extend(before.map(|before| (field, before)));
        }
    }
    let merged = serde_json::from_value(Value::Object(all)).unwrap_or_else(|_| settings.clone());
    merged.settled()
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

#[cfg(test)]
mod tests {
    use super::*;
    use bozzetto_core::prefs::settings::{Edge, Finger};
    use serde_json::json;

    #[test]
    fn fields_are_set_anew_and_what_is_none_is_left_out() {
        let before = Settings {
            finger: Finger::Moves,
            ..Settings::default()
        };
        let Value::Object(fields) = json!({
            "rail": { "edge": "left", "along": 7.0, "folded": false },
            "eraser": "large",
            "theme": "dark",
        }) else {
            unreachable!()
        };
        let after = merged(&before, fields);
        assert_eq!((after.rail.edge, after.rail.along), (Edge::Left, 1.0));
        assert_eq!((after.finger, after.eraser), (Finger::Moves, before.eraser));
    }
}
