//! What is written into XML.

/// Text as it stands in XML; characters that XML cannot hold are left out.
pub fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\t' | '\n' | '\r' => out.push(c),
            c if c.is_control() || ('\u{FFFE}'..='\u{FFFF}').contains(&c) => {}
            c => out.push(c),
        }
    }
    out
}
