//! What of a box a hand takes hold of, and which way an arrow key goes.

/// What of a box is taken hold of: an edge, a corner (two edges), or all of it.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Grip {
    Inside,
    Edges { x: Side, y: Side },
}

/// Which edge of an axis: the one with the smaller coordinate, the larger, or neither.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Side {
    Low,
    Neither,
    High,
}

impl Grip {
    /// From a compass point: `n`, `ne`, … as handles are named, or `inside`.
    pub fn from_word(word: &str) -> Option<Self> {
        if word == "inside" {
            return Some(Grip::Inside);
        }
        let y = match word {
            w if w.starts_with('n') => Side::Low,
            w if w.starts_with('s') => Side::High,
            _ => Side::Neither,
        };
        let x = match word {
            w if w.ends_with('w') => Side::Low,
            w if w.ends_with('e') => Side::High,
            _ => Side::Neither,
        };
        let known = ["n", "ne", "e", "se", "s", "sw", "w", "nw"].contains(&word);
        known.then_some(Grip::Edges { x, y })
    }
}

/// An arrow key.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Arrow {
    Left,
    Right,
    Up,
    Down,
}

impl Arrow {
    /// From the name of a key, as browsers say it.
    pub fn from_key(key: &str) -> Option<Self> {
        match key {
            "ArrowLeft" => Some(Arrow::Left),
            "ArrowRight" => Some(Arrow::Right),
            "ArrowUp" => Some(Arrow::Up),
            "ArrowDown" => Some(Arrow::Down),
            _ => None,
        }
    }

    /// A step of this length in its direction.
    pub fn step(self, by: f64) -> (f64, f64) {
        match self {
            Arrow::Left => (-by, 0.0),
            Arrow::Right => (by, 0.0),
            Arrow::Up => (0.0, -by),
            Arrow::Down => (0.0, by),
        }
    }
}
