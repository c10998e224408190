//! How loud a microphone is, and whether anything is heard at all.

/// The quietest that a meter shows, in decibels below full scale.
const QUIETEST: f64 = -60.0;
/// What is quieter is nothing: a microphone that is muted or not plugged in gives none or the noise of its amplifier.
const NOTHING: f64 = -55.0;
/// For how long nothing is heard before that is said, in milliseconds.
pub const PATIENCE: f64 = 10_000.0;

/// The level of samples between -1 and 1, in decibels below full scale: their root mean square (IEC 61606 refers 0 dBFS to a
/// full scale sine, 3 dB more than this).
pub fn level(samples: &[f32]) -> f64 {
    let squares: f64 = samples
        .iter()
        .map(|sample| f64::from(*sample).powi(2))
        .sum();
    let mean = squares / samples.len().max(1) as f64;
    10.0 * mean.max(1e-12).log10()
}

/// Where a level stands on a meter, from 0 to 1.
pub fn on_meter(level: f64) -> f64 {
    ((level - QUIETEST) / -QUIETEST).clamp(0.0, 1.0)
}

/// Listens for whether anything is heard.
#[derive(Clone, Copy, Debug, Default)]
pub struct Listening {
    /// When something was heard last, in milliseconds of any clock.
    heard: Option<f64>,
}

impl Listening {
    /// It is so loud now.
    pub fn hears(&mut self, level: f64, now: f64) {
        if level > NOTHING || self.heard.is_none() {
            self.heard = Some(now);
        }
    }

    /// Whether nothing has been heard for so long that somebody should know.
    pub fn is_silent(&self, now: f64) -> bool {
        self.heard.is_some_and(|heard| now - heard >= PATIENCE)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A sine of full scale is 3.01 dB below a square wave of full scale, and a tenth of it 20 dB less.
    #[test]
    fn a_sine_is_as_loud_as_it_is() {
        let sine = |peak: f32| -> Vec<f32> {
            (0..48_000).map(|n| peak * (n as f32 * 0.1).sin()).collect()
        };
        assert!((level(&sine(1.0)) + 3.01).abs() < 0.01);
        assert!((level(&sine(0.1)) + 23.01).abs() < 0.01);
        assert_eq!(on_meter(level(&[0.0; 100])), 0.0);
        let mut listening = Listening::default();
        listening.hears(-120.0, 0.0);
        assert!(!listening.is_silent(9_999.0) && listening.is_silent(10_000.0));
        listening.hears(-30.0, 10_000.0);
        assert!(!listening.is_silent(19_000.0));
    }
}
