//! Web pages that stay where they are: an address is asked whether it lets itself be framed.

use std::time::Duration;

use axum::Json;
use axum::extract::{Form, Path, State};
use axum::http::{HeaderMap, header};
use bozzetto_core::backdrop::Page;
use bozzetto_core::ids::BackdropId;
use bozzetto_core::naming::tidy;
use serde::{Deserialize, Serialize};

use super::queries::{self, Whither};
use super::web_pages;
use crate::app::App;
use crate::error::{AppError, Result};
use crate::live::lesson::Command;

#[derive(Deserialize)]
pub struct Address {
    address: String,
    /// Add it though it will not be framed.
    #[serde(default)]
    anyway: bool,
}

/// What came of an address.
#[derive(Serialize)]
pub struct Answer {
    added: bool,
    /// Why it was not, or what may go wrong.
    why: Option<String>,
}

/// How long a site may take to answer.
const PATIENCE: Duration = Duration::from_secs(8);

/// Adds a page that stays where it is, if it lets itself be framed.
pub async fn add_address(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    headers: HeaderMap,
    Form(wanted): Form<Address>,
) -> Result<Json<Answer>> {
    let address = with_scheme(&wanted.address)?;
    let own = headers.get(header::HOST).and_then(|v| v.to_str().ok());
    if own.is_some_and(|own| host_of(&address).eq_ignore_ascii_case(own)) {
        return Err(AppError::Unusable(
            "This is an address of Bozzetto itself. A stage on a stage shows nothing.".to_owned(),
        ));
    }
    let asked = address.clone();
    let asks = tokio::task::spawn_blocking(move || asks(&asked))
        .await
        .map_err(|e| AppError::Internal(e.to_string()))?;
    let refused = |why: String| {
        Json(Answer {
            added: false,
            why: Some(why),
        })
    };
    let why = match asks {
        Found::Framed => None,
        Found::Refuses if !wanted.anyway => {
            return Ok(refused(format!(
                "{} does not let itself be shown inside other pages. Two ways out: open it in a tab \
                 of its own and share that tab, or take a picture of it and bring that.",
                host_of(&address)
            )));
        }
        Found::Silent(why) if !wanted.anyway => return Ok(refused(why)),
        Found::Refuses | Found::Silent(_) => None,
    };
    let name = tidy(host_of(&address)).unwrap_or_else(|| "Page".to_owned());
    let new = web_pages::backdrop(name, Page::Address(address));
    let id = app
        .store
        .write(move |conn| queries::add(conn, Whither::Lesson(lesson), &new))
        .await?;
    let goto = Some(BackdropId(id as u64));
    app.live.tell(lesson, Command::Changed { goto }).await;
    Ok(Json(Answer { added: true, why }))
}

fn with_scheme(typed: &str) -> Result<String> {
    let typed = typed.trim();
    let address = match typed.split_once("://") {
        Some(("http" | "https", _)) => typed.to_owned(),
        Some(_) => String::new(),
        None => format!("https://{typed}"),
    };
    let host = host_of(&address);
    let fits =
        address.len() <= 2000 && !address.chars().any(|c| c.is_whitespace() || c.is_control());
    match fits && host.chars().any(|c| c.is_alphanumeric()) {
        true => Ok(address),
        false => Err(AppError::Unusable(
            "This is no address of a web page. One looks like https://example.org/tides".to_owned(),
        )),
    }
}

fn host_of(address: &str) -> &str {
    let rest = address.split_once("://").map_or("", |(_, rest)| rest);
    let end = rest.find(['/', '?', '#']).unwrap_or(rest.len());
    rest[..end].rsplit('@').next().unwrap_or("")
}

/// What a site says when it is asked for a page.
enum Found {
    Framed,
    Refuses,
    /// It could not be asked, and why.
    Silent(String),
}

/// Asks for a page as a browser would, and reads of its head whether it may be framed: by
/// `X-Frame-Options` (RFC 7034) or `frame-ancestors` of a content policy, which comes before it.
fn asks(address: &str) -> Found {
    let agent: ureq::Agent = ureq::Agent::config_builder()
        .timeout_global(Some(PATIENCE))
        .http_status_as_error(false)
        .build()
        .into();
    let answer = match agent.get(address).call() {
        Ok(answer) => answer,
        Err(ureq::Error::Timeout(_)) => {
            return Found::Silent(
                "The page did not answer within eight seconds. Try again, or share its tab."
                    .to_owned(),
            );
        }
        Err(e) => {
            tracing::debug!("{address}: {e}");
            return Found::Silent(
                "The page could not be reached from this server. Look at the address again; if it \
                 opens in your browser, it can still be tried."
                    .to_owned(),
            );
        }
    };
    let all = |name: &str| -> Vec<String> {
        let values = answer.headers().get_all(name).iter();
        values
            .filter_map(|v| v.to_str().ok())
            .map(str::to_lowercase)
            .collect()
    };
    match may_frame(&all("x-frame-options"), &all("content-security-policy")) {
        true => Found::Framed,
        false => Found::Refuses,
    }
}

/// Whether a site with these headers, in small letters, lets itself be framed by another.
fn may_frame(options: &[String], policies: &[String]) -> bool {
    let ancestors: Vec<&str> = policies
        .iter()
        .flat_map(|p| p.split([';', ',']))
        .filter_map(|d| d.trim().strip_prefix("frame-ancestors"))
        .collect();
    if ancestors.is_empty() {
        return !options
            .iter()
            .any(|o| o.contains("deny") || o.contains("sameorigin"));
    }
    // A list of hosts may name this one; hardly ever does.
    ancestors.iter().all(|a| {
        a.split_whitespace()
            .any(|s| matches!(s, "*" | "http:" | "https:"))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn frames_are_refused_as_browsers_refuse_them() {
        let s = |v: &[&str]| v.iter().map(|s| (*s).to_owned()).collect::<Vec<_>>();
        assert!(may_frame(&[], &[]));
        assert!(!may_frame(&s(&["deny"]), &[]));
        assert!(!may_frame(&s(&["sameorigin"]), &s(&["default-src 'self'"])));
        assert!(!may_frame(&[], &s(&["frame-ancestors 'none'"])));
        assert!(!may_frame(
            &[],
            &s(&["default-src *; frame-ancestors 'self' https://a.example"])
        ));
        // The policy comes before the older header.
        assert!(may_frame(&s(&["deny"]), &s(&["frame-ancestors *"])));
    }
}
