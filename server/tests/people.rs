//! Sending people away, new codes, sessions that end.

use crate::common::{Browser, Server, cookies, text};
use axum::body::Body;
use axum::http::{Request, header};
use bozzetto::auth::passphrase;
use bozzetto::settings;
use bozzetto::store::Store;
use bozzetto_core::geometry::ids::PersonId;
use bozzetto_core::wire::{FromServer, ToServer};

const FORM: &str = "application/x-www-form-urlencoded";

/// Whoever is sent away is told, stays away though they know the code, and can be let in again; and
/// the code before a new one leads nowhere, while who is here stays.
#[tokio::test(flavor = "multi_thread")]
async fn somebody_sent_away_stays_away() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let (mut presenter, _) = server.presenter(lesson).await;
    let (cookie, other) = (
        server.join(lesson, "Wild").await,
        server.join(lesson, "Ines").await,
    );
    let (mut wild, welcome) = server.participant(lesson, &cookie).await;
    let (mut ines, _) = server.participant(lesson, &other).await;
    let person = PersonId(welcome.author.0);
    presenter.send(&ToServer::SendAway(person)).await;
    assert_eq!(wild.close_code().await, Some(4003));
    let left = presenter.until(|m| match m {
        FromServer::Left(id) => Some(id),
        _ => None,
    });
    assert_eq!(left.await, person);
    let page = format!("/follow/{lesson}");
    let follow = async |cookie: &str| {
        let request = Request::get(&page).header(header::COOKIE, cookie);
        server.ask(request, Body::empty()).await.status().as_u16()
    };
    assert_eq!((follow(&cookie).await, follow(&other).await), (303, 200));
    let code = async || {
        let code = server
            .app
            .store
            .read(move |c| bozzetto::lessons::queries::code(c, lesson));
        code.await.unwrap().unwrap()
    };
    let join = async |code: String, cookie: &str| {
        let request = Request::post("/join")
            .header(header::CONTENT_TYPE, FORM)
            .header(header::COOKIE, cookie);
        let answer = server.ask(request, format!("code={code}&name=Again")).await;
        (answer.status().as_u16(), cookies(&answer))
    };
    assert_eq!(join(code().await, &cookie).await.0, 403);
    // A participant may not send anybody away.
    ines.send(&ToServer::SendAway(PersonId(1))).await;
    let sorry = ines.until(|m| matches!(m, FromServer::Sorry(_)).then_some(()));
    sorry.await;

    let away = text(server.get(&format!("/lessons/{lesson}/sent-away")).await).await;
    assert!(away.contains("Wild") && away.contains("Let in again"));
    let let_in = format!("/lessons/{lesson}/sent-away/{}/let-in", person.0);
    assert_eq!(
        server
            .ask(Request::post(&let_in), Body::empty())
            .await
            .status(),
        200
    );
    let before = code().await;
    assert_eq!(join(before.clone(), &cookie).await.0, 303);

    let renew = Request::post(format!("/lessons/{lesson}/joining/code"));
    let sheet = text(server.ask(renew, Body::empty()).await).await;
    let new = code().await;
    assert!(new != before && sheet.contains(&bozzetto_core::people::join_code::shown(&new)));
    assert_eq!(join(before, "").await.0, 422);
    assert_eq!(follow(&other).await, 200);
}

/// Sessions: listed, ended one by one, by logging out and by a new passphrase, which closes their open
/// pages; a participant's ends by itself.
#[tokio::test(flavor = "multi_thread")]
async fn an_ended_session_closes_what_is_open() {
    let data = tempfile::tempdir().unwrap();
    let store = Store::open(data.path()).unwrap();
    let set = store.write(|c| passphrase::set(c, "sea room to leeward"));
    set.await.unwrap();
    // A proxy's word makes it ask, and is taken on whom it speaks for.
    let behind = |o: &mut bozzetto::app::Options| o.proxies = vec![[127, 0, 0, 1].into()];
    let server = Server::start_with(data.path(), behind).await;
    let lesson = server.lesson().await;
    let enter = async |agent: &str| {
        let request = Request::post("/enter")
            .header(header::CONTENT_TYPE, FORM)
            .header("x-forwarded-for", "10.1.1.1, 10.2.2.2")
            .header(header::USER_AGENT, agent);
        let answer = server.ask(request, "passphrase=sea+room+to+leeward").await;
        assert_eq!(answer.status(), 303);
        cookies(&answer)
    };
    let laptop = enter("Mozilla/5.0 (Windows NT 10.0) Chrome/140 Safari/537").await;
    let display = enter("Mozilla/5.0 (X11; Linux) Firefox/141").await;
    let path = format!("/lessons/{lesson}/live");
    let (mut on_laptop, _) = Browser::open(server.address, &path, Some(&laptop), None).await;
    let (mut on_display, _) = Browser::open(server.address, &path, Some(&display), None).await;
    let page = |cookie: &str| {
        let request = Request::get("/settings").header(header::COOKIE, cookie);
        server.ask(request, Body::empty())
    };
    let listed = text(page(&laptop).await).await;
    assert!(listed.contains("Chrome on Windows") && listed.contains("Firefox on Linux"));
    let post = |path: String, cookie: &str| {
        let request = Request::post(path).header(header::COOKIE, cookie);
        server.ask(request, Body::empty())
    };
    assert_eq!(
        post("/sessions/others/end".to_owned(), &laptop)
            .await
            .status(),
        303
    );
    assert_eq!(on_display.close_code().await, Some(4004));
    assert_eq!(page(&display).await.status(), 303);
    assert_eq!(page(&laptop).await.status(), 200);
    assert_eq!(post("/leave".to_owned(), &laptop).await.status(), 303);
    assert_eq!(on_laptop.close_code().await, Some(4004));
    assert_eq!(page(&laptop).await.status(), 303);

    // A new passphrase, set by another process: the open page is closed when it is next tried.
    let again = enter("Firefox/141").await;
    let (mut open, _) = Browser::open(server.address, &path, Some(&again), None).await;
    let set = store.write(|c| passphrase::set(c, "under the lee of Isola Corda"));
    set.await.unwrap();
    server.app.sessions_changed();
    assert_eq!(open.close_code().await, Some(4004));

    let cookie = server.join(lesson, "Sefa").await;
    let (_sefa, _) = server.participant(lesson, &cookie).await;
    let expire = server.app.store.write(|c| {
        c.execute("UPDATE participant SET expires_at = 1", [])?;
        Ok(())
    });
    expire.await.unwrap();
    let request = Request::get(format!("/follow/{lesson}")).header(header::COOKIE, &cookie);
    assert_eq!(server.ask(request, Body::empty()).await.status(), 303);
}

/// What is kept of a participant is removed with one press: what they sent and was not taken, their snapshots and what
/// they answered under their name, with the files. What was taken stays, and no longer says whose it is; an answer that
/// was given without a name leads to nobody, and stays too.
#[tokio::test(flavor = "multi_thread")]
async fn what_is_kept_of_somebody_is_removed() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    let cookie = server.join(lesson, "Ines").await;
    let post = async |path: &str, cookie: Option<&str>, body: Vec<u8>| {
        let mut request = Request::post(path).header(header::CONTENT_TYPE, FORM);
        if let Some(cookie) = cookie {
            request = request.header(header::COOKIE, cookie);
        }
        let answer = server.ask(request, body).await;
        let status = answer.status().as_u16();
        assert!(
            (200..400).contains(&status),
            "{path}: {}",
            text(answer).await
        );
    };
    let send = async |path: &str, name: &str, bytes: &[u8]| {
        let path = format!("/follow/{lesson}/{path}");
        let (status, said) = server.upload_as(&cookie, &path, name, bytes).await;
        assert!((200..400).contains(&status), "{path}: {said}");
    };
    // The same notices three times, each a file of its own.
    let notices = include_bytes!("../../demo/Notices to mariners.pdf");
    let [taken, waiting] = ["a", "b"].map(|end| [&notices[..], end.as_bytes()].concat());
    send("send", "taken.pdf", &taken).await;
    send("send", "waiting.pdf", &waiting).await;
    let seen = include_bytes!("../../demo/Echo sounder, Isola Corda.png");
    send("snapshots", "snapshot.png", seen).await;
    let of_lesson = |path: &str| format!("/lessons/{lesson}/{path}");
    post(&of_lesson("sent/1/take"), None, b"named=true".to_vec()).await;
    for (n, asked) in ["kind=yes-no&named=true", "kind=yes-no"].iter().enumerate() {
        post(&of_lesson("asked"), None, asked.as_bytes().to_vec()).await;
        let path = format!("/follow/{lesson}/asked/{}", n + 1);
        post(&path, Some(&cookie), b"reply=yes".to_vec()).await;
    }
    let find = async |sql: &'static str| -> Vec<String> {
        let read = server.app.store.read(move |conn| {
            let mut statement = conn.prepare(sql)?;
            let rows = statement.query_map([], |row| row.get(0))?;
            Ok(rows.collect::<rusqlite::Result<_>>()?)
        });
        read.await.unwrap()
    };
    let theirs = find(
        "SELECT media FROM worksheet UNION ALL SELECT media FROM backdrop WHERE deleted_at IS NOT NULL",
    );
    let theirs = theirs.await;
    let on_disk = |name: &String| server.app.media.path_of(name).exists();
    assert_eq!(theirs.iter().filter(|name| on_disk(name)).count(), 2);

    post(&of_lesson("people/remove"), None, Vec::new()).await;
    assert_eq!(theirs.iter().filter(|name| on_disk(name)).count(), 0);
    let counts = find(
        "SELECT count(*) || '' FROM sent UNION ALL SELECT count(*) || '' FROM worksheet
         UNION ALL SELECT count(*) || '' FROM reply",
    );
    assert_eq!(counts.await, ["0", "0", "1"]);
    let named = find("SELECT name FROM backdrop WHERE kind LIKE '%document%'");
    assert_eq!(named.await, ["Sent"]);
}

/// What is kept of participants goes by itself once a lesson has not been used for the time that the settings state, with the
/// files; not before, and not in lessons that are used.
#[tokio::test(flavor = "multi_thread")]
async fn what_is_kept_of_participants_goes_by_itself() {
    const DAYS: u32 = 30;
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let set = server.app.store.write(|conn| {
        let mut settings = settings::read(conn)?;
        settings.forgets_after = DAYS;
        settings::keep(conn, &settings)
    });
    set.await.unwrap();
    let mut files = Vec::new();
    for (unused, name) in [(DAYS + 1, "Long ago"), (DAYS - 1, "Lately")] {
        let lesson = server.lesson().await;
        let cookie = server.join(lesson, name).await;
        let notices = include_bytes!("../../demo/Notices to mariners.pdf");
        let bytes = [&notices[..], name.as_bytes()].concat();
        let path = format!("/follow/{lesson}/send");
        let (status, said) = server
            .upload_as(&cookie, &path, "notices.pdf", &bytes)
            .await;
        assert_eq!(status, 200, "{said}");
        let write = server.app.store.write(move |conn| {
            let used = "UPDATE lesson SET used_at = used_at - ?2 * 24 * 3600 * 1000 WHERE id = ?1";
            conn.execute(used, [lesson, unused.into()])?;
            let sql = "SELECT media FROM backdrop WHERE lesson = ?1 AND kind LIKE '%document%'";
            Ok(conn.query_row(sql, [lesson], |row| row.get::<_, String>(0))?)
        });
        files.push(server.app.media.path_of(&write.await.unwrap()));
    }
    drop(server);
    let server = Server::start(data.path()).await;
    let read = server.app.store.read(|conn| {
        let mut names = conn.prepare("SELECT name FROM participant")?;
        let names = names.query_map([], |row| row.get::<_, String>(0))?;
        Ok(names.collect::<rusqlite::Result<Vec<_>>>()?)
    });
    assert_eq!(read.await.unwrap(), ["Lately"]);
    let there: Vec<bool> = files.iter().map(|file| file.exists()).collect();
    assert_eq!(there, [false, true]);
}

/// Whoever joins another lesson in the same browser finds their name there, without the number that it had in the first;
/// nobody else does.
#[tokio::test(flavor = "multi_thread")]
async fn a_name_is_remembered_in_its_browser() {
    let data = tempfile::tempdir().unwrap();
    let server = Server::start(data.path()).await;
    let lesson = server.lesson().await;
    server.join(lesson, "Ines").await;
    let second = server.join(lesson, "Ines").await;
    let form = async |cookie: &str| {
        let request = Request::get("/join").header(header::COOKIE, cookie);
        text(server.ask(request, Body::empty()).await).await
    };
    assert!(form(&second).await.contains(r#"value="Ines""#));
    assert!(!form("").await.contains("Ines"));
}
