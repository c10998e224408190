//! What an evening class has made of a worksheet: most have ringed the safe water and crossed the light.

use bozzetto_core::geometry::frames::{Ink, Map, Point};
use bozzetto_core::geometry::ids::{AuthorId, BackdropId};
use bozzetto_core::sheets::step::SheetId;
use bozzetto_core::worksheets::worksheet::HandIn;
use rand::rngs::StdRng;
use rand::{RngExt, SeedableRng};

use super::draw::{curve, strokes};
use crate::app::App;
use crate::auth::participant;
use crate::backdrops::queries as backdrops;
use crate::live::log;
use crate::worksheets;

/// Invented, from several places. Some have handed in; one has ringed something else.
const PEOPLE: [(&str, bool); 9] = [
    ("Ines Alvarado", true),
    ("Tomasz Wilk", true),
    ("Aiko Mori", true),
    ("Nadia Haddad", true),
    ("Olu Adeyemi", false),
    ("Bruna Ferri", true),
    ("Leif Strand", true),
    ("Mei Lin", false),
    ("Samir Qadri", true),
];
/// Who has ringed something else.
const ASTRAY: usize = 6;

pub async fn fill(app: &App, lesson: i64, backdrop: i64) -> anyhow::Result<()> {
    let what = "Ring the safe water and cross the light";
    let sheet = worksheets::give_whole(app, lesson, backdrop, what).await?;
    // The picture that it was made of is not wanted beside the others.
    let discard = "UPDATE capture SET deleted_at = ?2 WHERE lesson = ?1 AND id = (SELECT max(id) FROM capture)";
    app.store
        .write(move |conn| Ok(conn.execute(discard, [lesson, crate::now()])?))
        .await?;
    // Every demo is the same.
    let mut dice = StdRng::seed_from_u64(3);
    for (n, (name, handed_in)) in PEOPLE.into_iter().enumerate() {
        let mut about = |x: f64, y: f64, by: f64| {
            (
                x + dice.random_range(-by..by),
                y + dice.random_range(-by..by),
            )
        };
        let middle = match n == ASTRAY {
            true => about(520., 760., 40.),
            false => about(1050., 560., 50.),
        };
        let round = (0..=9).map(|step| {
            let turn = f64::from(step) * std::f64::consts::TAU / 9.0;
            about(
                middle.0 + 190. * turn.cos(),
                middle.1 + 260. * turn.sin(),
                16.,
            )
        });
        let ring = curve(&round.collect::<Vec<_>>());
        let (x, y) = about(668., 226., 14.);
        let cross = [
            curve(&[(x - 40., y - 36.), about(x, y, 5.), (x + 38., y + 40.)]),
            curve(&[(x + 40., y - 38.), about(x, y, 5.), (x - 36., y + 38.)]),
        ];
        let drawn: Vec<(usize, Vec<Point<Ink>>)> = match (n, handed_in) {
            (_, false) => vec![(1, ring)],
            _ => {
                let [one, other] = cross;
                vec![(1, ring), (2, one), (2, other)]
            }
        };
        let write = move |conn: &rusqlite::Connection| {
            let person = participant::invented(conn, lesson, name)?;
            let answer = worksheets::begun_by(conn, lesson, sheet, person)?;
            let held_by = backdrops::of_lesson(conn, answer.drawn_in)?.remove(0);
            // A picture that is as wide as the glass.
            let to_held = Map::<Ink, _>::scale_then_move(held_by.width / 1920.0, 0., 0.);
            let held = SheetId::Backdrop(BackdropId(held_by.id.0));
            let changes = strokes(held, to_held, AuthorId(person as u64), drawn);
            let seq = changes.len() as u64;
            log::append(conn, answer.drawn_in, &changes)?;
            if handed_in {
                let new = HandIn {
                    number: 1,
                    seq,
                    at: crate::now() as u64,
                    late: false,
                    waited: 0,
                };
                worksheets::hand_in(conn, answer.id, &new)?;
            }
            Ok(())
        };
        app.store.write(write).await?;
    }
    Ok(())
}
