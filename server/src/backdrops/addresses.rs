//! Web pages that stay where they are: an address is asked whether it lets itself be framed.

use std::net::{IpAddr, Ipv4Addr};
use std::time::Duration;

use axum::Json;
use axum::extract::{Form, Path, State};
use axum::http::{HeaderMap, header};
use bozzetto_core::capture::name::tidy;
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::stage::backdrop::Page;
use serde::{Deserialize, Serialize};
use ureq::unversioned::resolver::{DefaultResolver, ResolvedSocketAddrs, Resolver};
use ureq::unversioned::transport::{DefaultConnector, NextTimeout};

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
    let (mut address, other) = with_scheme(&wanted.address)?;
    let own = headers.get(header::HOST).and_then(|v| v.to_str().ok());
    if own.is_some_and(|own| host_of(&address).eq_ignore_ascii_case(own)) {
        return Err(AppError::Unusable(
            "This is an address of Bozzetto itself. A stage on a stage shows nothing.".to_owned(),
        ));
    }
    let private = app.options.private_addresses;
    let ask = async |address: String| {
        let asks = tokio::task::spawn_blocking(move || asks(&address, private)).await;
        asks.map_err(|e| AppError::Internal(e.to_string()))
    };
    let mut asks = ask(address.clone()).await?;
    if let (Found::Silent(_), Some(other)) = (&asks, other) {
        let found = ask(other.clone()).await?;
        if !matches!(found, Found::Silent(_)) {
            (address, asks) = (other, found);
        }
    }
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
        Found::Private => {
            return Err(AppError::Unusable(format!(
                "{} is on this server's own network. Whoever runs the server can allow such \
                 addresses: --private-addresses.",
                host_of(&address)
            )));
        }
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

/// What was typed as an address, and where else it may be when that was not said.
pub fn with_scheme(typed: &str) -> Result<(String, Option<String>)> {
    let typed = typed.trim();
    let (address, other) = match typed.split_once("://") {
        Some(("http" | "https", _)) => (typed.to_owned(), None),
        Some(_) => (String::new(), None),
        None => (format!("https://{typed}"), Some(format!("http://{typed}"))),
    };
    let host = host_of(&address);
    let fits =
        address.len() <= 2000 && !address.chars().any(|c| c.is_whitespace() || c.is_control());
    match fits && host.chars().any(|c| c.is_alphanumeric()) {
        true => Ok((address, other)),
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
    /// It is, or leads to, an address that only this server's network knows.
    Private,
}

/// Finds addresses of names, and refuses those that only the server's own network knows: whoever
/// adds a page must not use the server to look around there. Redirects are looked up anew, so they
/// are refused as well.
#[derive(Debug)]
struct PublicOnly(DefaultResolver);

/// What the refusal says; nobody reads it.
const PRIVATE: &str = "an address of a private network";

impl Resolver for PublicOnly {
    fn resolve(
        &self,
        uri: &ureq::http::Uri,
        config: &ureq::config::Config,
        timeout: NextTimeout,
    ) -> std::result::Result<ResolvedSocketAddrs, ureq::Error> {
        let found = self.0.resolve(uri, config, timeout)?;
        match found.iter().all(|address| is_public(address.ip())) {
            true => Ok(found),
            false => Err(ureq::Error::BadUri(PRIVATE.to_owned())),
        }
    }
}

/// Whether an address may be anybody's on the internet. Source: the IANA registries of
/// special-purpose addresses (RFC 6890 and its updates).
fn is_public(ip: IpAddr) -> bool {
    match ip {
        IpAddr::V4(ip) => {
            let [a, b, c, _] = ip.octets();
            let special = ip.is_private()
                || ip.is_loopback()
                || ip.is_link_local()
                || ip.is_multicast()
                || ip.is_documentation()
                // This network; shared between providers and customers; IETF protocols; the old
                // relays from IPv6; benchmarks; reserved, with broadcast.
                || a == 0
                || (a == 100 && b & 0xC0 == 64)
                || (a, b, c) == (192, 0, 0)
                || (a, b, c) == (192, 88, 99)
                || (a == 198 && b & 0xFE == 18)
                || a >= 240;
            !special
        }
        IpAddr::V6(ip) => {
            let s = ip.segments();
            // An IPv4 address in other clothes: mapped, compatible, translated (64:ff9b::/96, and
            // 64:ff9b:1::/48, which is private by itself), or in 6to4.
            let low = |a: u16, b: u16| Ipv4Addr::from((u32::from(a) << 16) | u32::from(b));
            let inner = match s {
                [0, 0, 0, 0, 0, 0xFFFF | 0, a, b] | [0x64, 0xFF9B, 0, 0, 0, 0, a, b] => {
                    Some(low(a, b))
                }
                [0x2002, a, b, ..] => Some(low(a, b)),
                _ => None,
            };
            // Global unicast is 2000::/3; of it, documentation and IETF protocols (Teredo among
            // them) are nobody's.
            let global = s[0] & 0xE000 == 0x2000
                && !(s[0] == 0x2001 && s[1] < 0x200)
                && !(s[0] == 0x2001 && s[1] == 0xDB8)
                && s[0] != 0x3FFF;
            match inner {
                Some(inner) => is_public(IpAddr::V4(inner)),
                None => global,
            }
        }
    }
}

/// Asks for a page as a browser would, and reads of its head whether it may be framed: by
/// `X-Frame-Options` (RFC 7034) or `frame-ancestors` of a content policy, which comes before it.
fn asks(address: &str, private: bool) -> Found {
    let config = ureq::Agent::config_builder()
        .timeout_global(Some(PATIENCE))
        .http_status_as_error(false)
        .max_redirects(5)
        // Where a proxy asks, it is the proxy's network that would be looked around in.
        .proxy(None)
        .build();
    let agent = match private {
        true => ureq::Agent::new_with_config(config),
        false => {
            let resolver = PublicOnly(DefaultResolver::default());
            ureq::Agent::with_parts(config, DefaultConnector::default(), resolver)
        }
    };
    let answer = match agent.get(address).call() {
        Ok(answer) => answer,
        Err(ureq::Error::Timeout(_)) => {
            return Found::Silent(
                "The page did not answer within eight seconds. Try again, or share its tab."
                    .to_owned(),
            );
        }
        Err(ureq::Error::BadUri(why)) if why == PRIVATE => return Found::Private,
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

    /// Worked values: the registries' own examples, and public addresses beside them.
    #[test]
    fn the_server_s_own_network_is_told_from_the_internet() {
        let private = "0.0.0.0 10.1.2.3 100.64.0.1 127.0.0.1 169.254.169.254 172.16.0.1 172.31.255.255 \
            192.0.0.8 192.168.1.1 198.18.0.1 224.0.0.1 240.0.0.1 255.255.255.255 :: ::1 fe80::1 \
            fc00::1 fd12::1 ff02::1 ::ffff:10.0.0.1 ::ffff:127.0.0.1 64:ff9b::a00:1 2002:7f00:1:: \
            2001:db8::1 ::7f00:1 64:ff9b:1::1";
        for ip in private.split_whitespace() {
            assert!(!is_public(ip.parse().unwrap()), "{ip}");
        }
        let public = "1.1.1.1 100.128.0.1 172.32.0.1 192.169.0.1 198.20.0.1 223.255.255.255 \
            2606:4700::1 2a00:1450::1 ::ffff:1.1.1.1 64:ff9b::101:101";
        for ip in public.split_whitespace() {
            assert!(is_public(ip.parse().unwrap()), "{ip}");
        }
    }

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
