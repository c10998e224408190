//! Pixels at another size, four bytes each.

use fast_image_resize::images::{TypedImage, TypedImageRef};
use fast_image_resize::pixels::U8x4;
use fast_image_resize::{ResizeOptions, Resizer};

/// The picture that `pixels` are, `from` wide and high, at the size `to`. Channels are resized each by
/// itself.
///
/// The kind of pixel is said here, and not asked of the picture: all others need not be compiled then,
/// which took longer than the rest of this crate.
pub fn resized(
    pixels: &[u8],
    from: (u32, u32),
    to: (u32, u32),
    options: &ResizeOptions,
) -> Vec<u8> {
    let mut small = vec![0; to.0 as usize * to.1 as usize * 4];
    let whole = TypedImageRef::<U8x4>::from_buffer(from.0, from.1, pixels);
    let onto = TypedImage::<U8x4>::from_buffer(to.0, to.1, &mut small);
    let (whole, mut onto) = whole.ok().zip(onto.ok()).expect("four bytes to a pixel");
    Resizer::new()
        .resize_typed(&whole, &mut onto, &options.use_alpha(false))
        .expect("what is cropped lies within the picture");
    small
}
