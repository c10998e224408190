//! What this process takes of the machine, as Linux tells (proc(5)).

/// The time that this process has used of processors, in milliseconds.
pub fn cpu_ms() -> f64 {
    let stat = std::fs::read_to_string("/proc/self/stat").unwrap_or_default();
    let fields: Vec<&str> = stat
        .rsplit(')')
        .next()
        .unwrap_or("")
        .split_whitespace()
        .collect();
    let ticks = |i: usize| {
        fields
            .get(i)
            .and_then(|v| v.parse::<f64>().ok())
            .unwrap_or(0.0)
    };
    // utime and stime, in hundredths of a second on Linux (proc(5)).
    (ticks(11) + ticks(12)) * 10.0
}

pub fn resident_kb() -> f64 {
    resident_kb_of(std::process::id())
}

/// The same of another process.
pub fn resident_kb_of(process: u32) -> f64 {
    let status = std::fs::read_to_string(format!("/proc/{process}/status")).unwrap_or_default();
    let line = status
        .lines()
        .find(|l| l.starts_with("VmRSS:"))
        .unwrap_or("VmRSS: 0");
    line.split_whitespace()
        .nth(1)
        .and_then(|v| v.parse().ok())
        .unwrap_or(0.0)
}
