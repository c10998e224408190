//! What benchmarks print: a JSON object to a line for each figure.

use serde_json::json;

/// Whether a figure is among those that were asked for on the command line; all are without.
pub fn runs(name: &str) -> bool {
    let mut wanted = std::env::args()
        .skip(1)
        .filter(|a| !a.starts_with("--"))
        .peekable();
    wanted.peek().is_none() || wanted.any(|w| name.starts_with(w.as_str()) || w.starts_with(name))
}

pub fn row(name: &str, value: f64, unit: &str, baseline: Option<f64>, note: &str) {
    let ratio = baseline.map(|b| value / b);
    println!(
        "{}",
        json!({"name": name, "value": value, "unit": unit, "baseline": baseline, "ratio": ratio, "note": note})
    );
}
