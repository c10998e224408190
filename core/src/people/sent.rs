//! What participants may send to the presenter, and keep for themselves.

/// The most that one participant has waiting: more is sent when some of it is taken or thrown away.
pub const MOST_WAITING: usize = 5;
/// The largest file, in bytes. A photograph of 50 megapixels is about half of that.
pub const LARGEST: u64 = 20 * 1024 * 1024;
/// The most pictures of what they saw that one participant keeps in a lesson.
pub const MOST_SNAPSHOTS: usize = 50;

/// What kind of file it is, by how it begins.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Kind {
    /// A picture or a PDF, or what only its reader can tell from one.
    Perhaps,
    /// What phones write and few programs read. Source: ISO/IEC 23008-12, annex B: brands of the box `ftyp`.
    Heif,
    /// A page, a film or an archive: it is not taken from participants, whatever is in it.
    Other,
}

impl Kind {
    /// ```
    /// use bozzetto_core::people::sent::Kind;
    /// assert_eq!(Kind::of(b"\xFF\xD8\xFF\xE0\0\x10JFIF"), Kind::Perhaps);
    /// assert_eq!(Kind::of(b"\0\0\0\x18ftypheic\0\0\0\0"), Kind::Heif);
    /// assert_eq!(Kind::of(b"\0\0\0\x18ftypisom\0\0\0\0"), Kind::Other);
    /// assert_eq!(Kind::of(b"PK\x03\x04"), Kind::Other);
    /// ```
    pub fn of(head: &[u8]) -> Self {
        match head {
            [_, _, _, _, b'f', b't', b'y', b'p', brand @ ..] => {
                let brand = brand.get(..4).unwrap_or_default();
                match brand {
                    b"avif" | b"avis" => Kind::Perhaps,
                    b"heic" | b"heix" | b"hevc" | b"heim" | b"heis" | b"mif1" | b"msf1" => {
                        Kind::Heif
                    }
                    _ => Kind::Other,
                }
            }
            [0xFF, 0xD8, 0xFF, ..]
            | [0x89, b'P', b'N', b'G', ..]
            | [b'G', b'I', b'F', b'8', ..]
            | [b'R', b'I', b'F', b'F', ..]
            | [b'%', b'P', b'D', b'F', ..] => Kind::Perhaps,
            _ => Kind::Other,
        }
    }

    /// Why a file of this kind is not taken, in words for whoever sends it.
    pub fn refused(self) -> Option<&'static str> {
        match self {
            Kind::Perhaps => None,
            Kind::Heif => Some(
                "This photograph is in a format (HEIC) that is not read here. Set the camera to JPEG, or take a picture of \
                 the screen and send that.",
            ),
            Kind::Other => Some("Only photographs, pictures and PDF can be sent."),
        }
    }
}
