//! Guessing codes and passphrases: counted first, by browser, address and over all; and nobody is
//! kept out by what somebody else does.

use crate::common::{Server, cookies, text};
use axum::http::{Request, header};
use bozzetto::auth::guessing::JOINING;
use bozzetto::auth::passphrase;
use bozzetto::lessons::queries;
use bozzetto::store::Store;
use bozzetto_core::people::join_code::{ALPHABET, LENGTH};

const FORM: &str = "application/x-www-form-urlencoded";

async fn join(server: &Server, code: &str, cookie: &str) -> (u16, String) {
    let request = Request::post("/join")
        .header(header::CONTENT_TYPE, FORM)
        .header(header::COOKIE, cookie);
    let answer = server.ask(request, format!("code={code}&name=Guess")).await;
    (answer.status().as_u16(), text(answer).await)
}

/// A browser that opened the page to join; gives its cookie.
async fn browser(server: &Server) -> String {
    cookies(&server.get("/join").await)
}

async fn code(server: &Server, lesson: i64) -> String {
    let code = server.app.store.read(move |c| queries::code(c, lesson));
    code.await.unwrap().unwrap()
}

/// A class behind one router: some try one wrong code after another, and are told to wait; everybody
/// else's right code is taken. So it is when a script has used up all that the router has.
#[tokio::test(flavor = "multi_thread")]
async fn wrong_codes_hold_up_nobody_else_behind_the_same_address() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let code = code(&server, lesson).await;
    let mut pupils = Vec::new();
    for _ in 0..30 {
        pupils.push(browser(&server).await);
    }
    for wild in &pupils[..12] {
        let mut waits = 0;
        for _ in 0..30 {
            let (status, said) = join(&server, "AAAAAAAA", wild).await;
            match status {
                422 => assert!(said.contains("No lesson has this code")),
                429 => waits += 1,
                other => panic!("{other}: {said}"),
            }
        }
        assert!(waits >= 23, "{waits}");
    }
    for pupil in &pupils[12..20] {
        assert_eq!(join(&server, &code, pupil).await.0, 303);
    }
    // A right code makes no room for wrong ones.
    let wild = &pupils[11];
    assert_eq!(join(&server, &code, wild).await.0, 429);
    // A script without a name.
    let mut refused = 0;
    for _ in 0..JOINING.address.at_once + 20 {
        refused += u32::from(join(&server, "AAAAAAAA", "").await.0 == 429);
    }
    assert!(refused >= 20, "{refused}");
    for pupil in &pupils[20..] {
        assert_eq!(join(&server, &code, pupil).await.0, 303);
    }
}

/// The arithmetic that `docs/SECURITY.md` states: how many years it takes, as likely as not, to find a
/// certain lesson's code, and any of a hundred, at the rate that is allowed for ever.
#[test]
fn guessing_a_code_takes_years() {
    let codes = (ALPHABET.len() as f64).powi(LENGTH as i32);
    let a_year = 365.25 * 86_400.0 / JOINING.all.every.as_secs_f64();
    let years = codes / 2.0 / a_year;
    assert!((260.0..280.0).contains(&years), "{years}");
    assert!(years / 100.0 > 2.5);
    let from_one = a_year * JOINING.all.every.as_secs_f64() / JOINING.address.every.as_secs_f64();
    assert!(codes / 2.0 / from_one > 1300.0);
}

/// Four hundred passphrases at once: a few are looked at, two at a time, the others are told to wait
/// before anything is worked out; other pages are there meanwhile. Who has entered before still can.
#[tokio::test(flavor = "multi_thread")]
async fn passphrases_are_counted_before_they_are_hashed() {
    let data = tempfile::tempdir().unwrap();
    let store = Store::open(data.path()).unwrap();
    let set = store.write(|c| passphrase::set(c, "sea room to leeward"));
    set.await.unwrap();
    let mut server = Server::start(data.path()).await;
    server.change(|app| app.open = false);
    let enter = async |server: &Server, phrase: &str, cookie: &str| {
        let request = Request::post("/enter")
            .header(header::CONTENT_TYPE, FORM)
            .header(header::COOKIE, cookie);
        let phrase = phrase.replace(' ', "+");
        server.ask(request, format!("passphrase={phrase}")).await
    };
    let own = cookies(&enter(&server, "sea room to leeward", "").await);
    assert!(own.contains("presenter=") && own.contains("entered="));

    let answers = {
        let tries = (0..400).map(|_| enter(&server, "sea room to windward", ""));
        let all = futures_util::future::join_all(tries);
        tokio::pin!(all);
        // Other pages are there before the last passphrase has been looked at.
        let page = tokio::select! {
            _ = &mut all => None,
            page = server.get("/join") => Some(page.status()),
        };
        assert_eq!(page.map(u16::from), Some(200));
        all.await
    };
    let evaluated = answers.iter().filter(|a| a.status() == 422).count();
    assert!(evaluated <= 5, "{evaluated} were looked at");
    assert!(
        answers
            .iter()
            .all(|a| [422, 429].contains(&a.status().as_u16()))
    );
    // A stranger at another address is not let in by the right one either, once all is used up; the
    // presenter, whose browser is known, is.
    for n in 0..40 {
        server.from = [10, 0, 1, n];
        enter(&server, "sea room to windward", "").await;
    }
    server.from = [10, 9, 9, 9];
    assert_eq!(
        enter(&server, "sea room to leeward", "").await.status(),
        429
    );
    assert_eq!(
        enter(&server, "sea room to leeward", &own).await.status(),
        303
    );
}

/// Weak passphrases are refused with a reason.
#[test]
fn weak_passphrases_are_refused_with_a_reason() {
    for weak in [
        "short",
        "password123",
        "1234567890",
        "qwertyuiop",
        "presenter1",
    ] {
        let why = passphrase::weakness(weak);
        assert!(why.is_some(), "{weak}");
    }
    assert!(
        passphrase::weakness("short")
            .unwrap()
            .contains("at least 10")
    );
    assert_eq!(passphrase::weakness("sea room to leeward"), None);
}
