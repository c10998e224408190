//! Recordings as a server keeps them: piece by piece, each once, whatever breaks off in between.

use std::fs;
use std::io::Write;

use axum::body::Body;
use axum::http::{Request, header};
use bozzetto::upkeep::{backup, verify};
use bozzetto_core::recording::pieces::{Coded, Head, Packet, Track, sealed};
use http_body_util::BodyExt;

use crate::common::Server;

const FORM: &str = "application/x-www-form-urlencoded";

/// Two seconds of a film: four pictures a second, the first one a key frame, each of its own bytes.
fn piece(number: u32) -> Vec<u8> {
    let from = u64::from(number) * 2_000_000;
    let packets = (0..8).map(|n| Packet {
        track: Track::Picture,
        at: from + n * 250_000,
        key: n == 0,
        size: 16,
    });
    let coded = Coded {
        track: Track::Picture,
        codec: "vp09.00.40.08".to_owned(),
        size: (1600, 1000),
        description: Vec::new(),
    };
    let head = Head {
        number,
        from,
        taken: 1_700_000_000_000 + from / 1000,
        to: from + 2_000_000,
        coded: if number == 0 { vec![coded] } else { Vec::new() },
        packets: packets.collect(),
    };
    let data: Vec<u8> = (0..8u8).flat_map(|n| [number as u8 * 8 + n; 16]).collect();
    sealed(&head, &data)
}

struct Recorded {
    server: Server,
    lesson: i64,
}

impl Recorded {
    async fn begin(&self, recorder: &str) -> (u16, serde_json::Value) {
        let form = format!("recorder={recorder}&how=%7B%7D");
        self.post(&format!("/lessons/{}/recordings", self.lesson), form)
            .await
    }

    /// Sends a piece; gives the status, and how many are kept.
    async fn send(&self, id: i64, recorder: &str, piece: Vec<u8>) -> (u16, Option<i64>) {
        let path = format!(
            "/lessons/{}/recordings/{id}/pieces?recorder={recorder}",
            self.lesson
        );
        let answer = self
            .server
            .ask(Request::post(path), Body::from(piece))
            .await;
        let status = answer.status().as_u16();
        let said = answer.into_body().collect().await.unwrap().to_bytes();
        let said = serde_json::from_slice::<serde_json::Value>(&said).ok();
        (status, said.and_then(|said| said["pieces"].as_i64()))
    }

    async fn post(&self, path: &str, form: String) -> (u16, serde_json::Value) {
        let answer = self
            .server
            .ask(Request::post(path).header(header::CONTENT_TYPE, FORM), form)
            .await;
        let status = answer.status().as_u16();
        let said = answer.into_body().collect().await.unwrap().to_bytes();
        (status, serde_json::from_slice(&said).unwrap_or_default())
    }

    /// A file of a recording, or a part of it.
    async fn file(&self, id: i64, name: &str, range: Option<&str>) -> (u16, Vec<u8>) {
        let mut request = Request::get(format!("/lessons/{}/recordings/{id}/{name}", self.lesson));
        if let Some(range) = range {
            request = request.header(header::RANGE, range);
        }
        let answer = self.server.ask(request, Body::empty()).await;
        let status = answer.status().as_u16();
        (
            status,
            answer
                .into_body()
                .collect()
                .await
                .unwrap()
                .to_bytes()
                .to_vec(),
        )
    }
}

/// A piece is kept once, in its place, and only as it was made; what broke off on the disk is written over; nobody else writes
/// to it meanwhile, and afterwards anybody can go on.
#[tokio::test(flavor = "multi_thread")]
async fn a_recording_grows_by_whole_pieces() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let it = Recorded { server, lesson };
    let (status, told) = it.begin("a").await;
    let id = told["id"].as_i64().unwrap();
    assert_eq!(
        (status, told["pieces"].as_i64(), told["name"].as_str()),
        (200, Some(0), Some("Tides"))
    );
    assert_eq!(it.begin("b").await.0, 409);
    assert_eq!(it.send(id, "a", piece(0)).await, (200, Some(1)));
    // Its acknowledgement was lost.
    assert_eq!(it.send(id, "a", piece(0)).await, (200, Some(1)));
    assert_eq!(it.send(id, "a", piece(2)).await.0, 422);
    let mut broken = piece(1);
    *broken.last_mut().unwrap() ^= 1;
    assert_eq!(it.send(id, "a", broken).await.0, 422);
    assert_eq!(it.send(id, "b", piece(1)).await.0, 409);

    // The server was killed while it wrote.
    let path = fs::read_dir(data.path().join("recordings"))
        .unwrap()
        .next()
        .unwrap()
        .unwrap()
        .path();
    let mut file = fs::OpenOptions::new().append(true).open(&path).unwrap();
    file.write_all(&piece(1)[..77]).unwrap();
    assert_eq!(it.send(id, "a", piece(1)).await, (200, Some(2)));
    let whole = [piece(0), piece(1)].concat();
    assert_eq!(fs::read(&path).unwrap(), whole);
    assert_eq!(
        verify::run(data.path()).unwrap().faults,
        Vec::<String>::new()
    );

    // Every picture is in the file, once, in order.
    let (status, film) = it.file(id, "files/film.webm", None).await;
    assert_eq!(status, 200);
    let mut rest = &film[..];
    for n in 0..16u8 {
        let at = rest.windows(16).position(|data| data == [n; 16]).unwrap();
        rest = &rest[at + 16..];
    }
    let (status, part) = it.file(id, "files/film.webm", Some("bytes=100-299")).await;
    assert_eq!((status, &part[..]), (206, &film[100..300]));
    let (status, part) = it.file(id, "files/film.webm", Some("bytes=-50")).await;
    assert_eq!((status, &part[..]), (206, &film[film.len() - 50..]));
    assert_eq!(
        it.file(id, "files/film.webm", Some("bytes=9999999-"))
            .await
            .0,
        416
    );
    assert_eq!(it.file(id, "sound.ogg", None).await.0, 422);

    // Three seconds are taken out of the middle: what is left begins with whole pictures.
    let own = format!("/lessons/{lesson}/recordings/{id}");
    assert_eq!(
        it.post(&format!("{own}/cut"), "from=0.6&to=1.9".to_owned())
            .await
            .0,
        303
    );
    let (_, cut) = it.file(id, "files/film.webm", None).await;
    let has = |n: u8| cut.windows(16).any(|data| data == [n; 16]);
    let left: Vec<u8> = (0..16).filter(|n| has(*n)).collect();
    assert_eq!(left, [0, 1, 2, 8, 9, 10, 11, 12, 13, 14, 15]);
    assert_eq!(
        it.post(&format!("{own}/cut"), "from=0&to=60".to_owned())
            .await
            .0,
        422
    );
    assert_eq!(it.post(&format!("{own}/whole"), String::new()).await.0, 303);
    assert_eq!(it.file(id, "files/film.webm", None).await.1, film);

    // Binned, it is ended, and can be had again.
    assert_eq!(
        it.post(&format!("{own}/delete"), String::new()).await.0,
        303
    );
    assert_eq!(it.send(id, "a", piece(2)).await.0, 404);
    assert_eq!(
        it.post(&format!("{own}/restore"), String::new()).await.0,
        303
    );
    assert_eq!(it.send(id, "a", piece(2)).await.0, 409);
    let (status, told) = it
        .post(&format!("{own}/go-on"), "recorder=c".to_owned())
        .await;
    assert_eq!(
        (status, told["pieces"].as_i64(), told["lasts"].as_i64()),
        (200, Some(2), Some(4_000_000))
    );
    assert_eq!(it.send(id, "c", piece(2)).await, (200, Some(3)));

    // It goes along with a backup, and damage is named.
    let copy = tempfile::tempdir().unwrap();
    backup::run(data.path(), copy.path()).unwrap();
    let copied = copy
        .path()
        .join("recordings")
        .join(path.file_name().unwrap());
    let whole = [piece(0), piece(1), piece(2)].concat();
    assert_eq!(fs::read(&copied).unwrap(), whole);
    let mut bytes = fs::read(&copied).unwrap();
    bytes[40] ^= 1;
    fs::write(&copied, bytes).unwrap();
    assert!(verify::run(copy.path()).unwrap().faults[0].contains("whole pieces"));
}
