//! Tables that are taken out, as RFC 4180 has them.

use axum::response::Response;
use jiff::Timestamp;
use jiff::tz::TimeZone;

use crate::captures::as_file;
use crate::error::{AppError, Result};

pub const CSV: &str = "text/csv; charset=utf-8";

/// A table of these columns, as bytes.
pub fn of<const N: usize>(
    head: [&str; N],
    rows: impl IntoIterator<Item = [String; N]>,
) -> Result<Vec<u8>> {
    let fault = |e: csv::Error| AppError::Internal(e.to_string());
    let mut table = csv::Writer::from_writer(Vec::new());
    table.write_record(head).map_err(fault)?;
    for row in rows {
        table.write_record(&row).map_err(fault)?;
    }
    table
        .into_inner()
        .map_err(|e| AppError::Internal(e.to_string()))
}

/// The same as a file.
pub fn file<const N: usize>(
    title: &str,
    head: [&str; N],
    rows: impl IntoIterator<Item = [String; N]>,
) -> Result<Response> {
    Ok(as_file(title, "csv", CSV, of(head, rows)?))
}

/// Text for a cell: what a spreadsheet would take for a formula is kept from being one.
pub fn cell(text: &str) -> String {
    match text.starts_with(['=', '+', '-', '@', '\t', '\r']) {
        true => format!("'{text}"),
        false => text.to_owned(),
    }
}

/// How exactly a moment is told.
#[derive(Clone, Copy)]
pub enum To {
    Minute,
    Second,
}

/// A moment, in milliseconds since 1970, by this machine's clock.
pub fn moment(at: i64, to: To) -> String {
    let at = Timestamp::from_millisecond(at).unwrap_or(Timestamp::UNIX_EPOCH);
    let at = at.to_zoned_datetime(TimeZone::system());
    let pattern = match to {
        To::Minute => "%Y-%m-%d %H:%M",
        To::Second => "%Y-%m-%d %H:%M:%S",
    };
    at.strftime(pattern).to_string()
}
