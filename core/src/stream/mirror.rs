//! Whether a shared screen shows the stage itself: then it would show itself in itself, and again.
//!
//! While sharing begins, the stage changes the grey of its empty pane a few times, too little to be
//! noticed. What is shared and grows lighter and darker in step contains that pane.

/// The greys of the empty pane, from 0 to 255: dark, and a little less so.
pub const GREYS: [u8; 2] = [22, 46];

/// How many pictures are compared: each grey several times, so that nothing else keeps step by
/// chance.
pub const ROUNDS: usize = 6;

/// How much lighter some part of the picture has to become each time, of 255.
const STEP: f64 = 8.0;

/// Whether some part of the pictures keeps step with the pane. Each picture is the mean greys of the
/// same few parts; the pane was dark in the first, less so in the second, and so on by turns.
///
/// ```
/// use bozzetto_core::stream::mirror::keeps_step;
/// let still = vec![vec![80.0, 20.0]; 6];
/// assert!(!keeps_step(&still));
/// let itself: Vec<_> = (0..6).map(|i| vec![80.0, if i % 2 == 0 { 22.0 } else { 40.0 }]).collect();
/// assert!(keeps_step(&itself));
/// // A film that grows lighter does not keep step.
/// let film: Vec<_> = (0..6).map(|i| vec![f64::from(i) * 30.0]).collect();
/// assert!(!keeps_step(&film));
/// ```
pub fn keeps_step(pictures: &[Vec<f64>]) -> bool {
    let parts = pictures.iter().map(Vec::len).min().unwrap_or(0);
    if pictures.len() < 4 {
        return false;
    }
    (0..parts).any(|part| {
        pictures.windows(2).enumerate().all(|(i, pair)| {
            let change = pair[1][part] - pair[0][part];
            let lighter = if i % 2 == 0 { change } else { -change };
            lighter >= STEP
        })
    })
}
