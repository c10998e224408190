//! The values of a trace: explicit, relative and second-order. Source: InkML, section 3.2.1.

/// How a channel's next value is to be understood; it goes on until something else is said.
#[derive(Clone, Copy, PartialEq)]
enum Order {
    Explicit,
    /// `'`: a difference from the value before.
    First,
    /// `"`: a difference from the difference before.
    Second,
}

#[derive(Clone, Copy)]
struct State {
    order: Order,
    value: f64,
    difference: f64,
}

/// Decodes the text of a trace: for each point the values of `channels` channels, of which the last
/// may be missing (`None`), as may those that say `?`. Says what is wrong, and with which point.
pub fn decode(text: &str, channels: usize) -> Result<Vec<Vec<Option<f64>>>, String> {
    let fresh = State {
        order: Order::Explicit,
        value: 0.0,
        difference: 0.0,
    };
    let mut states = vec![fresh; channels];
    let mut points = Vec::new();
    for (i, point) in text.split(',').enumerate() {
        let mut values = vec![None; channels];
        let mut rest = point.trim();
        let mut channel = 0;
        let at = || format!("its point {}", i + 1);
        while !rest.is_empty() {
            let Some(state) = states.get_mut(channel) else {
                return Err(format!("{} has more values than there are channels", at()));
            };
            for (sign, order) in [
                ('!', Order::Explicit),
                ('\'', Order::First),
                ('"', Order::Second),
            ] {
                if let Some(after) = rest.strip_prefix(sign) {
                    state.order = order;
                    rest = after.trim_start();
                }
            }
            let (token, after) = split(rest);
            if token.is_empty() {
                return Err(format!("{} cannot be read at “{rest}”", at()));
            }
            rest = after.trim_start();
            values[channel] = match token {
                "?" => None,
                // As before: the same value, or the same difference again.
                "*" => Some(state.step(None)),
                "T" | "F" => Some(f64::from(u8::from(token == "T"))),
                number => {
                    let v = number_of(number).ok_or_else(|| format!("{} has “{number}”", at()))?;
                    Some(state.step(Some(v)))
                }
            };
            channel += 1;
        }
        if channel > 0 {
            points.push(values);
        }
    }
    Ok(points)
}

impl State {
    fn step(&mut self, given: Option<f64>) -> f64 {
        let before = self.value;
        match (self.order, given) {
            (Order::Explicit, Some(v)) => self.value = v,
            (Order::Explicit, None) => {}
            (Order::First, Some(d)) => self.value += d,
            (Order::Second, Some(d)) => self.value += self.difference + d,
            (Order::First | Order::Second, None) => self.value += self.difference,
        }
        self.difference = self.value - before;
        self.value
    }
}

/// The first value, and what comes after it: values need no space between them where a sign or a
/// prefix begins the next.
fn split(text: &str) -> (&str, &str) {
    let first = text.chars().next().unwrap_or(' ');
    if matches!(first, '?' | '*' | 'T' | 'F') {
        return text.split_at(1);
    }
    let hex = text.starts_with('#') || text.starts_with("-#");
    let part = |(i, c): (usize, char)| {
        c.is_ascii_digit()
            || c == '.'
            || c == '#'
            || (hex && c.is_ascii_hexdigit())
            || (i == 0 && matches!(c, '-' | '+'))
    };
    let end = text
        .char_indices()
        .find(|c| !part(*c))
        .map_or(text.len(), |(i, _)| i);
    text.split_at(end)
}

/// A decimal number, or a hexadecimal one after `#`.
fn number_of(text: &str) -> Option<f64> {
    let (sign, bare) = match text.strip_prefix('-') {
        Some(bare) => (-1.0, bare),
        None => (1.0, text.strip_prefix('+').unwrap_or(text)),
    };
    let size = match bare.strip_prefix('#') {
        Some(hex) => i64::from_str_radix(hex, 16).ok()? as f64,
        None => bare.parse().ok()?,
    };
    Some(sign * size)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The worked example of the Recommendation (section 3.2.1, relative and second-order values).
    #[test]
    fn the_recommendation_s_example() {
        let text = r#"1125 18432,'23'43,"7"-8,3-5,7-3,6 2,6 8,3 6,2 4,3 6"#;
        let points = decode(text, 2).unwrap();
        let pairs: Vec<_> = points
            .iter()
            .map(|p| (p[0].unwrap(), p[1].unwrap()))
            .collect();
        let expected = [
            (1125.0, 18432.0),
            (1148.0, 18475.0),
            (1178.0, 18510.0),
            (1211.0, 18540.0),
            (1251.0, 18567.0),
            (1297.0, 18596.0),
            (1349.0, 18633.0),
            (1404.0, 18676.0),
            (1461.0, 18723.0),
            (1521.0, 18776.0),
        ];
        assert_eq!(pairs, expected);
    }

    #[test]
    fn what_is_missing_and_what_is_wrong() {
        let points = decode("10 20 5, 12 * ?, #1F -#a T", 3).unwrap();
        assert_eq!(points[1], [Some(12.0), Some(20.0), None]);
        assert_eq!(points[2], [Some(31.0), Some(-10.0), Some(1.0)]);
        assert_eq!(decode("1 2, 3", 2).unwrap()[1], [Some(3.0), None]);
        assert!(decode("1 2 3", 2).unwrap_err().contains("more values"));
        assert!(decode("1 x", 2).unwrap_err().contains("“x”"));
    }
}
