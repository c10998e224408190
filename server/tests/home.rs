//! The home page: lessons found, sorted, archived; and those that stayed empty.

use crate::common::{Server, add, stroke, text};
use axum::body::Body;
use axum::http::{Request, header};
use bozzetto::lessons::queries;

async fn page(server: &Server, path: &str) -> String {
    text(server.get(path).await).await
}

/// The names of the lessons that a page shows, in their order.
fn names(page: &str) -> Vec<String> {
    let heads = page.split("<h2><a").skip(1);
    let name = |head: &str| head.split(['>', '<']).nth(1).unwrap_or_default().to_owned();
    heads.map(name).collect()
}

async fn press(server: &Server, path: String, form: &'static str) -> String {
    let kind = "application/x-www-form-urlencoded";
    let request = Request::post(path).header(header::CONTENT_TYPE, kind);
    text(server.ask(request, Body::from(form)).await).await
}

#[tokio::test]
async fn lessons_are_found_sorted_and_put_away() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(folder.path()).await;
    let make = |name: &'static str| {
        let made = server
            .app
            .store
            .write(move |conn| queries::create(conn, name, "class"));
        async { made.await.unwrap() }
    };
    let tides = make("Tides").await;
    let anchors = make("anchors and Knots").await;
    make("Buoys").await;
    server
        .bring(
            tides,
            "Sector light.svg",
            br#"<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"/>"#,
        )
        .await;
    let used = move |conn: &rusqlite::Connection| queries::touch(conn, anchors);
    server.app.store.write(used).await.unwrap();

    assert_eq!(names(&page(&server, "/").await)[0], "anchors and Knots");
    let by_name = page(&server, "/lessons/found?sort=name").await;
    assert_eq!(names(&by_name), ["anchors and Knots", "Buoys", "Tides"]);
    let made = page(&server, "/lessons/found?sort=made").await;
    assert_eq!(names(&made), ["Buoys", "anchors and Knots", "Tides"]);
    // By its own name, in any case and order, or by that of a backdrop.
    for (words, found) in [("KNOTS+anch", "anchors and Knots"), ("sector", "Tides")] {
        let seen = page(&server, &format!("/lessons/found?words={words}")).await;
        assert_eq!(names(&seen), [found], "{words}");
    }
    let none = page(&server, "/lessons/found?words=%3Cb%3Ewreck").await;
    assert!(names(&none).is_empty() && !none.contains("<b>wreck"));

    let said = press(&server, format!("/lessons/{tides}/archive"), "").await;
    assert!(said.contains("<b>Tides</b> is archived"));
    assert_eq!(
        names(&page(&server, "/").await),
        ["anchors and Knots", "Buoys"]
    );
    assert_eq!(names(&page(&server, "/?archived=true").await), ["Tides"]);
    // Taken back, it is a card again.
    let back = press(&server, format!("/lessons/{tides}/unarchive"), "undo=true").await;
    assert_eq!(names(&back), ["Tides"]);
    // One that is used again is among the others by itself.
    press(&server, format!("/lessons/{tides}/archive"), "").await;
    page(&server, &format!("/lessons/{tides}/stage")).await;
    assert!(names(&page(&server, "/?archived=true").await).is_empty());
}

#[tokio::test]
async fn lessons_that_stayed_empty_go_by_themselves() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(folder.path()).await;
    let make = || {
        let made = server
            .app
            .store
            .write(|conn| queries::create_nameless(conn, "Lesson of today"));
        async { made.await.unwrap() }
    };
    let (open, drawn, renamed, joined) = (make().await, make().await, make().await, make().await);
    let (old, gone) = (make().await, make().await);
    let (_browser, _) = server.presenter(open).await;
    let (mut browser, _) = server.presenter(drawn).await;
    let backdrop = server.first_backdrop(drawn).await;
    browser.act(7, add(backdrop, stroke(1))).await;
    assert!(browser.told(7).await);
    drop(browser);
    press(&server, format!("/lessons/{renamed}/rename"), "name=Knots").await;
    server.join(joined, "Leila").await;
    let long_ago = move |conn: &rusqlite::Connection| {
        let ids = [old, gone];
        ids.iter().try_for_each(|id| {
            conn.execute("UPDATE lesson SET used_at = 0 WHERE id = ?1", [id])
                .map(|_| ())
        })?;
        Ok(())
    };
    server.app.store.write(long_ago).await.unwrap();
    let (mut browser, _) = server.presenter(old).await;
    let seen = page(&server, "/").await;
    for id in [open, drawn, renamed, joined, old] {
        assert!(seen.contains(&format!("id=\"lesson-{id}\"")), "{id}");
    }
    assert!(!seen.contains(&format!("id=\"lesson-{gone}\"")));
    assert_eq!(
        server.get(&format!("/lessons/{gone}/stage")).await.status(),
        404
    );
    // What was drawn meanwhile in one that is long unused is kept.
    let backdrop = server.first_backdrop(old).await;
    browser.act(8, add(backdrop, stroke(2))).await;
    assert!(browser.told(8).await);
    drop(browser);
    let seen = page(&server, "/").await;
    assert!(seen.contains(&format!("id=\"lesson-{old}\"")));
}
