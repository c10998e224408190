//! Which address leads to which handler, and what every request goes through.

use std::time::Duration;

use axum::Router;
use axum::extract::State;
use axum::http::StatusCode;
use axum::middleware::{from_fn, from_fn_with_state};
use axum::response::{IntoResponse, Response};
use tower_http::compression::CompressionLayer;
use tower_http::compression::predicate::{DefaultPredicate, NotForContentType, Predicate};
use tower_http::timeout::RequestBodyTimeoutLayer;

use crate::app::App;
use crate::auth::presenter;
use crate::door::{Access, Route, Routes};
use crate::error::AppError;
use crate::{
    asking, assets, backdrops, captures, follow, headers, lessons, membership, people, recordings,
    sent, settings, stage, take_aways, worksheets,
};

/// How long the next piece of a request's body may take to come.
const BODY: Duration = Duration::from_secs(30);
/// How long an answer may take that is no upload's.
const ANSWER: Duration = Duration::from_secs(150);

/// All routes, with who may use them.
pub fn routes() -> Vec<Route> {
    all_routes(|router| router).done().1
}

/// `guarded` puts what lets only presenters pass before their routes.
fn all_routes(guarded: impl FnOnce(Router<App>) -> Router<App>) -> Routes {
    let presenters = Routes::of(Access::Presenter)
        .merge(lessons::routes())
        .merge(stage::routes())
        .merge(backdrops::routes())
        .merge(captures::routes())
        .merge(recordings::for_presenters())
        .merge(worksheets::for_presenters())
        .merge(people::routes())
        .merge(asking::for_presenters())
        .merge(sent::for_presenters())
        .merge(take_aways::for_presenters())
        .merge(settings::routes())
        .merge(presenter::for_presenters())
        .before(guarded);
    Routes::of(Access::Anybody)
        .merge(presenters)
        .merge(follow::routes())
        .merge(worksheets::for_participants())
        .merge(asking::for_participants())
        .merge(sent::for_participants())
        .merge(take_aways::for_participants())
        .merge(recordings::for_others())
        .merge(presenter::for_anybody())
        .get("/pages/{key}/{*path}", backdrops::serve_web_page)
        .get("/static/{build}/{*path}", assets::serve)
        .get("/favicon.ico", favicon)
        .get("/healthz", health)
}

/// What answers requests.
pub fn router(app: App) -> Router {
    let (router, _) = all_routes(|router| {
        router
            .layer(from_fn_with_state(app.clone(), membership::check))
            .layer(from_fn_with_state(app.clone(), presenter::only_presenters))
    })
    .done();
    let packed = DefaultPredicate::new()
        .and(NotForContentType::const_new("font/"))
        .and(NotForContentType::const_new("video/"))
        .and(NotForContentType::const_new("audio/"));
    router
        .fallback(async || AppError::NotFound)
        .layer(RequestBodyTimeoutLayer::new(BODY))
        .layer(from_fn(in_time))
        // Pages and vector pictures are packed on the way; pixels, films, fonts and what is packed already
        // are not.
        .layer(CompressionLayer::new().compress_when(packed))
        .layer(from_fn(log))
        .layer(from_fn_with_state(app.clone(), headers::guard))
        .with_state(app)
}

/// Gives up on an answer that does not come. What is brought may take as long as the line needs.
async fn in_time(request: axum::extract::Request, next: axum::middleware::Next) -> Response {
    let brings = request
        .headers()
        .get(axum::http::header::CONTENT_TYPE)
        .is_some_and(|v| v.as_bytes().starts_with(b"multipart/"));
    if brings {
        return next.run(request).await;
    }
    match tokio::time::timeout(ANSWER, next.run(request)).await {
        Ok(response) => response,
        Err(_) => {
            AppError::Busy("That took too long. Please try again.".to_owned()).into_response()
        }
    }
}

/// For whoever watches over the server: well when marks can be kept.
async fn health(State(app): State<App>) -> Response {
    match app.store.write(|_| Ok(())).await {
        Ok(()) => "well".into_response(),
        Err(_) => (StatusCode::SERVICE_UNAVAILABLE, "nothing can be kept").into_response(),
    }
}

async fn favicon() -> Response {
    axum::response::Redirect::permanent(&assets::url("mark.svg")).into_response()
}

async fn log(request: axum::extract::Request, next: axum::middleware::Next) -> Response {
    let (method, path) = (request.method().clone(), request.uri().path().to_owned());
    let response = next.run(request).await;
    tracing::debug!("{method} {path} {}", response.status().as_u16());
    response
}
