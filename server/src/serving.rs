//! Giving out files of the data folder: as streams, never read whole, and never from a browser's
//! memory without asking whether they may still be had.

use axum::body::Body;
use axum::extract::Request;
use axum::http::{HeaderMap, HeaderValue, Method, StatusCode, header};
use axum::response::{IntoResponse, Response};
use mime_guess::mime::Mime;
use tower::ServiceExt;
use tower_http::services::ServeFile;

use crate::app::App;
use crate::error::{AppError, Result};
use crate::headers::MEDIA_POLICY;
use crate::media;

/// What browsers keep, they ask about before they show it: it may have been taken back.
pub const ASK_FIRST: &str = "private, no-cache";

/// Gives out a file that somebody brought, or that was made from one: never a page of ours.
/// `asked` are the headers of the request, by which a part of it may be wanted, or nothing but news.
pub async fn media(app: &App, sha: String, asked: &HeaderMap) -> Result<Response> {
    let tag = format!("\"{sha}\"");
    if knows(asked, &tag) {
        return Ok(unchanged(&tag));
    }
    let name = sha.clone();
    let found = app.store.read(move |conn| media::mime(conn, &name)).await?;
    let (mime, sanitised) = found.ok_or(AppError::NotFound)?;
    if !sanitised && mime.starts_with("image/") {
        let (media, kind) = (app.media.clone(), mime.clone());
        let stripped = tokio::task::spawn_blocking(move || -> std::io::Result<Vec<u8>> {
            let bytes = media.read(&sha)?;
            Ok(bozzetto_press::picture::stripped(bytes, &kind))
        });
        let bytes = stripped
            .await
            .map_err(|e| AppError::Internal(e.to_string()))??;
        return Ok(bytes_of(bytes, &mime, &tag));
    }
    let kind: Mime = mime
        .parse()
        .map_err(|_| AppError::Internal(format!("{mime} is no kind of file")))?;
    let mut request = Request::new(Body::empty());
    *request.method_mut() = Method::GET;
    if let Some(range) = asked.get(header::RANGE) {
        request.headers_mut().insert(header::RANGE, range.clone());
    }
    let file = ServeFile::new_with_mime(app.media.path_of(&sha), &kind);
    let answer = file.oneshot(request).await.into_response();
    let mut answer = answer.into_response();
    dress(answer.headers_mut(), &tag);
    Ok(answer)
}

/// Gives out a picture that was made just now, or is at hand.
pub fn picture(bytes: impl Into<Body>, asked: &HeaderMap, tag: &str) -> Response {
    match knows(asked, tag) {
        true => unchanged(tag),
        false => bytes_of(bytes, "image/png", tag),
    }
}

fn bytes_of(bytes: impl Into<Body>, mime: &str, tag: &str) -> Response {
    let mut answer = Response::new(bytes.into());
    if let Ok(mime) = HeaderValue::from_str(mime) {
        answer.headers_mut().insert(header::CONTENT_TYPE, mime);
    }
    dress(answer.headers_mut(), tag);
    answer
}

/// Whether the browser has this already.
pub fn knows(asked: &HeaderMap, tag: &str) -> bool {
    let known = asked.get(header::IF_NONE_MATCH);
    known.is_some_and(|v| v.as_bytes() == tag.as_bytes())
}

fn unchanged(tag: &str) -> Response {
    let mut answer = StatusCode::NOT_MODIFIED.into_response();
    dress(answer.headers_mut(), tag);
    answer
}

fn dress(headers: &mut HeaderMap, tag: &str) {
    headers.remove(header::LAST_MODIFIED);
    headers.insert(
        header::CONTENT_SECURITY_POLICY,
        HeaderValue::from_static(MEDIA_POLICY),
    );
    headers.insert(header::CACHE_CONTROL, HeaderValue::from_static(ASK_FIRST));
    if let Ok(tag) = HeaderValue::from_str(tag) {
        headers.insert(header::ETAG, tag);
    }
}
