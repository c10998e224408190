//! Where decoding can begin, and where it has to begin again.

/// Which chunks of a stream somebody can use, who may miss some and comes at any time.
///
/// ```
/// use bozzetto_core::stream::{Take, Gate};
/// let mut gate = Gate::default();
/// assert_eq!(gate.take(7, 3, false), Take::WantsKey); // came late
/// assert_eq!(gate.take(7, 4, false), Take::Skip);     // has asked already
/// assert_eq!(gate.take(7, 5, true), Take::Decode);
/// assert_eq!(gate.take(7, 6, false), Take::Decode);
/// assert_eq!(gate.take(7, 8, false), Take::WantsKey); // 7 was lost
/// assert_eq!(gate.take(8, 0, true), Take::Decode);    // the encoder began again
/// ```
#[derive(Clone, Copy, Default, Debug)]
pub struct Gate {
    /// The run and the number that come next, once something could be decoded.
    next: Option<(u32, u32)>,
    asked: bool,
}

/// What to do with a chunk.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Take {
    Decode,
    /// It cannot be decoded, and a key frame is to be asked for.
    WantsKey,
    /// It cannot be decoded; a key frame is on its way.
    Skip,
}

impl Gate {
    /// What to do with the chunk that comes next: `number` of the encoder's `run`, which is a `key` frame or not.
    pub fn take(&mut self, run: u32, number: u32, key: bool) -> Take {
        if key || self.next == Some((run, number)) {
            self.next = Some((run, number.wrapping_add(1)));
            self.asked = false;
            return Take::Decode;
        }
        self.next = None;
        if std::mem::replace(&mut self.asked, true) {
            Take::Skip
        } else {
            Take::WantsKey
        }
    }

    /// The decoder failed, or the key frame that was asked for did not come: ask again.
    pub fn reset(&mut self) {
        *self = Gate::default();
    }
}
