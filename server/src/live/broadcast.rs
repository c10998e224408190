//! The seam between a lesson and those who watch it: bytes that are sent to everybody, and that
//! whoever passes them on need not understand.

use std::collections::VecDeque;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};

use bytes::Bytes;
use tokio::sync::watch;

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

/// How far somebody may fall behind before being brought up from the log: frames, and their bytes.
/// However many there are who do not read, no more than this is kept for them.
const BACKLOG: usize = 2048;
const BACKLOG_BYTES: usize = 8 * 1024 * 1024;
/// From how many on wet ink and pictures of streams are left out.
const BEHIND: u64 = 96;

/// The newest frames, each with its number; numbers follow one another.
#[derive(Default)]
struct Newest {
    frames: VecDeque<Frame>,
    /// The number of the first of them.
    first: u64,
    bytes: usize,
}

impl Newest {
    /// The number of the frame that comes next.
    fn end(&self) -> u64 {
        self.first + self.frames.len() as u64
    }

    /// The next frame from `at` on for somebody who takes stills of streams, or streams; `at` goes on.
    fn next(&self, at: &mut u64, stills: bool) -> Option<Frame> {
        while *at < self.end() {
            let frame = &self.frames[(*at - self.first) as usize];
            *at += 1;
            let behind = self.end() - *at > BEHIND;
            let wanted = match frame.sort {
                Sort::Firm => true,
                Sort::Wet => !behind,
                Sort::Stream => !behind && !stills,
                Sort::Still => !behind && stills,
            };
            if wanted {
                return Some(frame.clone());
            }
        }
        None
    }
}

/// Sends to everybody in this process.
pub struct Broadcast {
    newest: Arc<Mutex<Newest>>,
    /// The number of the next frame.
    next: watch::Sender<u64>,
}

impl Default for Broadcast {
    fn default() -> Self {
        Self {
            newest: Arc::default(),
            next: watch::Sender::new(0),
        }
    }
}

impl Broadcast {
    pub fn publish(&self, frame: Frame) {
        let mut newest = self.newest.lock().expect("nothing panics with it");
        // It is no error that nobody is listening; there is nobody to keep anything for.
        if self.next.receiver_count() == 0 {
            newest.first += newest.frames.len() as u64;
            (newest.frames, newest.bytes) = (VecDeque::new(), 0);
            return;
        }
        newest.bytes += frame.bytes.len();
        newest.frames.push_back(frame);
        // The newest stays, however large: whoever is up to date gets it.
        while newest.frames.len() > 1
            && (newest.frames.len() > BACKLOG || newest.bytes > BACKLOG_BYTES)
        {
            let Some(old) = newest.frames.pop_front() else {
                break;
            };
            newest.bytes -= old.bytes.len();
            newest.first += 1;
        }
        let next = newest.end();
        drop(newest);
        self.next.send_replace(next);
    }

    pub fn subscribe(&self) -> Subscription {
        let next = self.next.subscribe();
        let at = *next.borrow();
        Subscription {
            newest: self.newest.clone(),
            next,
            at,
        }
    }
}

/// One listener's end.
pub struct Subscription {
    newest: Arc<Mutex<Newest>>,
    next: watch::Receiver<u64>,
    /// The number of the frame that this listener gets next.
    at: u64,
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
            if let Some(heard) = self.at_hand(stills.load(Ordering::Relaxed)) {
                return heard;
            }
            if self.next.changed().await.is_err() {
                return match self.at_hand(stills.load(Ordering::Relaxed)) {
                    Some(heard) => heard,
                    None => Heard::Closed,
                };
            }
        }
    }

    /// What is there besides, as far as nothing was lost: it can go out with what is sent just now.
    pub fn more(&mut self, stills: &AtomicBool) -> Option<Frame> {
        let newest = self.newest.lock().expect("nothing panics with it");
        let at = &mut self.at;
        (*at >= newest.first).then(|| newest.next(at, stills.load(Ordering::Relaxed)))?
    }

    fn at_hand(&mut self, stills: bool) -> Option<Heard> {
        let newest = self.newest.lock().expect("nothing panics with it");
        if self.at < newest.first {
            self.at = newest.end();
            return Some(Heard::Lost);
        }
        newest.next(&mut self.at, stills).map(Heard::Frame)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn frame(bytes: usize, sort: Sort) -> Frame {
        let bytes = Bytes::from(vec![0; bytes]);
        Frame { bytes, sort }
    }

    /// Whoever does not read is told that there are gaps, however large the frames; whoever reads
    /// gets all of them in order, but for what may be left out while behind.
    #[tokio::test]
    async fn who_does_not_read_costs_a_bounded_backlog() {
        let (broadcast, stills) = (Broadcast::default(), AtomicBool::new(false));
        broadcast.publish(frame(1, Sort::Firm));
        let mut reads = broadcast.subscribe();
        let mut sleeps = broadcast.subscribe();
        for _ in 0..30 {
            broadcast.publish(frame(1 << 20, Sort::Firm));
            let heard = reads.next(&stills).await;
            assert!(matches!(heard, Heard::Frame(f) if f.bytes.len() == 1 << 20));
        }
        assert!(broadcast.newest.lock().unwrap().bytes <= BACKLOG_BYTES);
        assert!(sleeps.more(&stills).is_none());
        assert!(matches!(sleeps.next(&stills).await, Heard::Lost));
        for n in 0..200 {
            broadcast.publish(frame(1, Sort::Wet));
            broadcast.publish(frame(n, Sort::Firm));
        }
        let mut firm = 0;
        let mut wet = 0;
        while firm < 200 {
            let Heard::Frame(first) = reads.next(&stills).await else {
                panic!("nothing was lost")
            };
            for f in [Some(first), reads.more(&stills)].into_iter().flatten() {
                match f.sort {
                    Sort::Wet => wet += 1,
                    _ => {
                        assert_eq!(f.bytes.len(), firm);
                        firm += 1;
                    }
                }
            }
        }
        assert!(wet < 60, "{wet}");
        drop(broadcast);
        assert!(matches!(reads.next(&stills).await, Heard::Closed));
    }
}
