//! A lesson of two hours that is shown again, for `e2e/bench.js` to look at.

use bozzetto::lessons::queries;
use bozzetto::live::log;
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, ChangeId};
use bozzetto_core::lesson::change::{Change, What};
use bozzetto_core::sheets::step::{Deed, Op, SheetId, Step};
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView, ViewState};
use bozzetto_core::stage::board::Board;
use bozzetto_core::stage::step::StageStep;

use crate::{TARGET, serve, stroke};

const CHANGES: u64 = 20_000;
const LASTS: u64 = 2 * 60 * 60 * 1000;
/// Boards that come on stage one after the other.
const BOARDS: u64 = 12;
const BEGINS: u64 = 1_700_000_000_000;

/// Strokes, of which every fourth is taken away again, on a board after the other.
fn changes() -> Vec<(u64, Change)> {
    let board = |n: u64| BackdropView {
        id: BackdropId(n + 1),
        name: format!("Board {}", n + 1),
        width: 1920.0,
        height: 1080.0,
        kind: BackdropKind::Board(Board::default()),
        seen: ViewState::default(),
    };
    let mut all: Vec<What> = Vec::new();
    let bring = (0..BOARDS).map(|n| StageStep::Bring {
        at: n as usize,
        backdrop: Box::new(board(n)),
    });
    let aspect = [StageStep::Aspect(16.0, 9.0)];
    all.push(What::Stage(aspect.into_iter().chain(bring).collect()));
    let each = CHANGES / BOARDS;
    for n in all.len() as u64..CHANGES {
        let on = BackdropId((n / each).min(BOARDS - 1) + 1);
        if n % each == 0 || n == 1 {
            all.push(What::Stage(vec![StageStep::Arrange {
                current: on,
                beside: None,
            }]));
            continue;
        }
        let drawn = matches!(all.last(), Some(What::Marks { steps, .. }) if matches!(steps[0].op, Op::Add(_)));
        let op = match n % 4 {
            3 if drawn => Op::Remove(stroke(n - 1, 2).id),
            _ => Op::Add(stroke(n, 40)),
        };
        let steps = vec![Step {
            sheet: SheetId::Backdrop(on),
            op,
        }];
        all.push(What::Marks {
            deed: Deed::Do,
            steps,
        });
    }
    let change = |(n, what): (usize, What)| {
        let n = n as u64 + 1;
        let change = Change {
            id: ChangeId(n),
            author: AuthorId(1),
            at: BEGINS + n * LASTS / CHANGES,
            what,
        };
        (n, change)
    };
    all.into_iter().enumerate().map(change).collect()
}

/// Says where such a lesson is shown again, and ends with whoever started it.
pub async fn replay_held() {
    let folder = tempfile::tempdir_in(TARGET).expect("a folder");
    let (app, address) = serve(folder.path()).await;
    let changes = changes();
    let lesson = app
        .store
        .write(move |conn| {
            let id = queries::create_empty(conn, "Bench", "class")?;
            log::append(conn, id, &changes)?;
            Ok(id)
        })
        .await
        .expect("a lesson");
    println!(
        "{}",
        serde_json::json!({ "replay": format!("http://{address}/lessons/{lesson}/replay") })
    );
    let mut nothing = String::new();
    let until_closed = move || std::io::stdin().read_line(&mut nothing);
    let _ = tokio::task::spawn_blocking(until_closed).await;
}
