//! Whose touch counts: while a pen is near, or was used a moment ago, a hand that rests on the glass
//! draws nothing.

use crate::ink::pen::Device;

/// How long after a pen was last seen fingers go on being ignored, in milliseconds.
const AFTER_PEN: f64 = 2000.0;

/// What is known of the pen.
#[derive(Clone, Copy, Debug, Default)]
pub struct PalmRejection {
    seen: Option<f64>,
}

impl PalmRejection {
    /// A pen hovers, touches or is lifted at `t` milliseconds.
    pub fn pen_seen(&mut self, t: f64) {
        self.seen = Some(self.seen.map_or(t, |before| before.max(t)));
    }

    /// Whether a device that touches the glass at `t` may do something.
    ///
    /// ```
    /// use bozzetto_core::tools::palm::PalmRejection;
    /// use bozzetto_core::ink::pen::Device;
    /// let mut palm = PalmRejection::default();
    /// assert!(palm.admits(Device::Finger, 0.0));
    /// palm.pen_seen(1000.0);
    /// assert!(!palm.admits(Device::Finger, 2999.0));
    /// assert!(palm.admits(Device::Finger, 3000.0) && palm.admits(Device::Mouse, 1001.0));
    /// ```
    pub fn admits(&self, device: Device, t: f64) -> bool {
        device != Device::Finger || self.seen.is_none_or(|seen| t - seen >= AFTER_PEN)
    }
}
