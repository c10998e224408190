//! The seam between a lesson and those who watch it: bytes that are sent to everybody, and that
//! whoever passes them on need not understand.

use bytes::Bytes;
use std::sync::atomic::{AtomicBool, Ordering};
use tokio::sync::broadcast;

/// Something sent to everybody.
#[derive(Clone, Debug)]
pub struct Frame {
    pub bytes: Bytes,
    pub sort: Sort,
}

/// What may become of a frame on its way.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Sort {
    /// Everybody gets it.
    Firm,
    /// Ink of a stroke in progress: left out for who cannot keep up.
    Wet,
    /// A picture of a stream: for who can decode it and keeps up.
    Stream,
    /// A still of a stream: for who cannot decode it.
    Still,
}

/// How many frames somebody may fall behind before being brought up from the log.
const BACKLOG: usize = 2048;
/// From how many on wet ink is left out.
const BEHIND: usize = 96;

/// Sends to everybody in this process.
pub struct Broadcast {
    channel: broadcast::Sender<Frame>,
}

impl Default for Broadcast {
    fn default() -> Self {
        Self {
            channel: broadcast::channel(BACKLOG).0,
        }
    }
}

impl Broadcast {
    pub fn publish(&self, frame: Frame) {
        // It is no error that nobody is listening.
        let _ = self.channel.send(frame);
    }

    pub fn subscribe(&self) -> Subscription {
        Subscription {
            receiver: self.channel.subscribe(),
        }
    }
}

/// One listener's end.
pub struct Subscription {
    receiver: broadcast::Receiver<Frame>,
}

/// What a listener gets.
pub enum Heard {
    Frame(Frame),
    /// Too far behind: what comes next has gaps.
    Lost,
    Closed,
}

impl Subscription {
    /// The next frame for somebody who takes streams, or stills of them, as `stills` says when it
    /// comes; what may be left out is, while the listener is behind.
    pub async fn next(&mut self, stills: &AtomicBool) -> Heard {
        loop {
            let heard = self.receiver.recv().await;
            let stills = stills.load(Ordering::Relaxed);
            match heard {
                Ok(frame) if frame.sort == Sort::Stream && stills => {}
                Ok(frame) if frame.sort == Sort::Still && !stills => {}
                Ok(frame) if frame.sort != Sort::Firm && self.receiver.len() > BEHIND => {}
                Ok(frame) => return Heard::Frame(frame),
                Err(broadcast::error::RecvError::Lagged(_)) => return Heard::Lost,
                Err(broadcast::error::RecvError::Closed) => return Heard::Closed,
            }
        }
    }
}
