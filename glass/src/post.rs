//! What goes out to the server.

use std::collections::VecDeque;

use bozzetto_core::geometry::ids::ChangeId;
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::wire::{ToServer, encode};
use wasm_bindgen::prelude::*;

/// Messages that wait to be sent.
#[derive(Default)]
pub(crate) struct Post {
    connected: bool,
    out: VecDeque<Out>,
    /// Why something was not done, in words for the person.
    complaint: Option<String>,
}

/// A message for the server. Those with a key must be kept until the change of that name has been
/// acknowledged.
#[wasm_bindgen]
pub struct Out {
    key: Option<String>,
    bytes: Vec<u8>,
}

#[wasm_bindgen]
impl Out {
    #[wasm_bindgen(getter)]
    pub fn key(&self) -> Option<String> {
        self.key.clone()
    }

    #[wasm_bindgen(getter)]
    pub fn bytes(&self) -> Vec<u8> {
        self.bytes.clone()
    }
}

impl Out {
    /// A change, as it is sent and kept.
    pub(crate) fn of_change(id: ChangeId, intent: Intent) -> Self {
        Self {
            key: Some(id.0.to_string()),
            bytes: encode(&ToServer::Act { id, intent }),
        }
    }
}

impl Post {
    /// There is a line, or there is none: then nothing is sent until there is again.
    pub(crate) fn connect(&mut self, connected: bool) {
        self.connected = connected;
        if !connected {
            self.out.clear();
        }
    }

    /// Nothing of before is sent on a new line.
    pub(crate) fn clear(&mut self) {
        self.out.clear();
    }

    /// Queues a message while there is a line; gives how many bytes it has.
    pub(crate) fn send(&mut self, message: &ToServer) -> usize {
        if matches!(message, ToServer::SendAway(_)) && !self.connected {
            self.complain("That cannot be done while the line to the server is down.".to_owned());
        }
        if !self.connected {
            return 0;
        }
        let bytes = encode(message);
        let size = bytes.len();
        self.out.push_back(Out { key: None, bytes });
        size
    }

    /// Queues a change, whether connected or not: whoever takes it off the queue keeps it, and sends it if
    /// there is a line.
    pub(crate) fn queue(&mut self, id: ChangeId, intent: Intent) {
        self.out.push_back(Out::of_change(id, intent));
    }

    pub(crate) fn next(&mut self) -> Option<Out> {
        self.out.pop_front()
    }

    /// Something was not done, and this is why.
    pub(crate) fn complain(&mut self, why: String) {
        self.complaint = Some(why);
    }

    /// See [`Post::complain`]; it is said once.
    pub(crate) fn complaint(&mut self) -> Option<String> {
        self.complaint.take()
    }
}
