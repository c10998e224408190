//! Files and links that participants can pick up, beside captures.

/// The largest file, in bytes.
pub const LARGEST: u64 = 100 * 1024 * 1024;
/// The most files and links of a lesson.
pub const MOST: usize = 100;

/// A number of bytes as people read it, in decimal units (IEC 80000-13 keeps kB and MB for these).
///
/// ```
/// use bozzetto_core::people::take_away::size;
/// assert_eq!(size(0), "0 kB");
/// assert_eq!(size(1), "1 kB");
/// assert_eq!(size(999_000), "999 kB");
/// assert_eq!(size(999_400), "1.0 MB");
/// assert_eq!(size(2_449_999), "2.4 MB");
/// ```
pub fn size(bytes: u64) -> String {
    match bytes.div_ceil(1000) {
        kb if kb < 1000 => format!("{kb} kB"),
        _ => format!("{:.1} MB", bytes as f64 / 1e6),
    }
}
