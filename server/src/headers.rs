//! What every answer says to the browser about trust, and which requests are not taken at all.

use std::net::IpAddr;

use axum::extract::{Request, State};
use axum::http::{HeaderMap, HeaderName, HeaderValue, Method, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};

use crate::app::App;

/// One policy for all our pages: nothing but our own files, and no script in the page itself.
const PAGE_POLICY: &str = "default-src 'none'; script-src 'self' 'wasm-unsafe-eval'; \
    style-src 'self'; img-src 'self' blob: data:; font-src 'self'; connect-src 'self'; \
    media-src 'self' blob:; form-action 'self'; base-uri 'none'; frame-ancestors 'none'";

/// The stage also plays what a camera or a shared screen shows, and frames pages: ours only, so that
/// none of them can go elsewhere and be taken for what it was.
pub const STAGE_POLICY: &str = "default-src 'none'; script-src 'self' 'wasm-unsafe-eval'; \
    style-src 'self'; img-src 'self' blob: data:; font-src 'self'; connect-src 'self'; \
    media-src 'self' blob:; frame-src 'self'; form-action 'self'; base-uri 'none'; \
    frame-ancestors 'none'";

/// The page that frames an address: it has nothing of its own, and only the stage frames it.
pub const ADDRESS_POLICY: &str = "default-src 'none'; style-src 'self'; frame-src http: https:; \
    base-uri 'none'; form-action 'none'; frame-ancestors 'self'";

/// The page of a film that was given out: framed by these sites, with spaces between, and by no other.
pub fn film_policy(framed_by: &str) -> String {
    let framed_by = if framed_by.is_empty() {
        "'none'"
    } else {
        framed_by
    };
    format!(
        "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; \
         media-src 'self'; form-action 'none'; base-uri 'none'; frame-ancestors {framed_by}"
    )
}

/// What pages may use of the device: on the stage what its own tools need, and nothing in frames.
const PERMISSIONS: &str = "camera=(self), microphone=(self), display-capture=(self), \
    fullscreen=(self), clipboard-read=(self), clipboard-write=(self), screen-wake-lock=(self), \
    accelerometer=(), autoplay=(self), bluetooth=(), geolocation=(), gyroscope=(), hid=(), idle-detection=(), magnetometer=(), \
    midi=(), payment=(), serial=(), usb=(), xr-spatial-tracking=()";

/// Pictures that somebody brought: no script, no fetching, no origin.
pub const MEDIA_POLICY: &str =
    "default-src 'none'; style-src 'unsafe-inline'; img-src data:; sandbox";

/// Adds the headers, and refuses requests that another site's page made a browser send.
pub async fn guard(State(app): State<App>, request: Request, next: Next) -> Response {
    if app.open && !names_this_machine(request.headers()) {
        let why = "This server answers only to the name of this machine.";
        return (StatusCode::MISDIRECTED_REQUEST, why).into_response();
    }
    if app.open && passed_on(request.headers()) {
        let why = "This request was passed on by a proxy, but the server opens without a passphrase, \
            as on one's own machine. Start it with --behind-proxy and the proxy's address.";
        return (StatusCode::MISDIRECTED_REQUEST, why).into_response();
    }
    let changes = !matches!(
        *request.method(),
        Method::GET | Method::HEAD | Method::OPTIONS
    );
    let socket = request.headers().contains_key(header::UPGRADE);
    if (changes || socket) && !same_origin(request.headers()) {
        let why = "This request came from another site's page.";
        return (StatusCode::FORBIDDEN, why).into_response();
    }
    let mut response = next.run(request).await;
    let headers = response.headers_mut();
    let part = is_part(headers);
    let mut default = |name: HeaderName, value: &'static str| {
        headers
            .entry(name)
            .or_insert(HeaderValue::from_static(value));
    };
    default(header::X_CONTENT_TYPE_OPTIONS, "nosniff");
    default(header::REFERRER_POLICY, "same-origin");
    default(
        HeaderName::from_static("cross-origin-resource-policy"),
        "same-origin",
    );
    default(header::CACHE_CONTROL, "no-store");
    if !part {
        default(header::CONTENT_SECURITY_POLICY, PAGE_POLICY);
        default(
            HeaderName::from_static("cross-origin-opener-policy"),
            "same-origin",
        );
        default(HeaderName::from_static("permissions-policy"), PERMISSIONS);
    }
    if app.tls {
        default(header::STRICT_TRANSPORT_SECURITY, HSTS);
    }
    response
}

/// Scripts, styles, modules and fonts: parts of pages, which no browser opens as one of its own, and none of
/// which is a worker. A policy for pages means nothing there, and weighs as much as most of them.
fn is_part(headers: &HeaderMap) -> bool {
    let kind = headers.get(header::CONTENT_TYPE);
    let kind = kind.and_then(|v| v.to_str().ok()).unwrap_or_default();
    let parts = ["text/javascript", "text/css", "application/wasm", "font/"];
    parts.iter().any(|part| kind.starts_with(part))
}

/// A year. Source: RFC 6797.
const HSTS: &str = "max-age=31536000";

/// Whether a proxy says that it speaks for somebody else. Source: RFC 7239, and the older headers.
fn passed_on(headers: &HeaderMap) -> bool {
    [
        "forwarded",
        "x-forwarded-for",
        "x-forwarded-host",
        "x-real-ip",
        "via",
    ]
    .iter()
    .any(|name| headers.contains_key(*name))
}

/// Browsers say where a request comes from: in `Origin` with everything that changes something, in
/// `Sec-Fetch-Site` on secure addresses. Programs that are no browsers say neither.
fn same_origin(headers: &HeaderMap) -> bool {
    let text = |name: HeaderName| headers.get(name).and_then(|v| v.to_str().ok());
    let site = text(HeaderName::from_static("sec-fetch-site"));
    if site.is_some_and(|s| s != "same-origin" && s != "none") {
        return false;
    }
    match (text(header::ORIGIN), text(header::HOST)) {
        (Some(origin), Some(host)) => origin
            .split_once("://")
            .is_some_and(|(_, o)| o.eq_ignore_ascii_case(host)),
        (Some(_), None) => false,
        (None, _) => true,
    }
}

/// A server that opens without a password must not be reached under a name that somebody else may
/// point at it.
fn names_this_machine(headers: &HeaderMap) -> bool {
    let Some(host) = headers.get(header::HOST).and_then(|v| v.to_str().ok()) else {
        return false;
    };
    let name = host.rsplit_once(':').map_or(host, |(name, port)| {
        if port.chars().all(|c| c.is_ascii_digit()) {
            name
        } else {
            host
        }
    });
    let bare = name.trim_start_matches('[').trim_end_matches(']');
    name.eq_ignore_ascii_case("localhost")
        || bare.parse::<IpAddr>().is_ok_and(|ip| ip.is_loopback())
}

/// What has a browser keep an answer as a file of this name. Source: RFC 6266, with the extended notation of RFC 8187 for what is not ASCII.
pub fn attachment(name: &str) -> String {
    let plain: String = name
        .chars()
        .map(|c| {
            if c.is_ascii_graphic() && c != '"' && c != '\\' || c == ' ' {
                c
            } else {
                '_'
            }
        })
        .collect();
    let coded: String = name
        .bytes()
        .map(|b| match b {
            b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'.' | b'-' | b'_' => {
                char::from(b).to_string()
            }
            b => format!("%{b:02X}"),
        })
        .collect();
    format!("attachment; filename=\"{plain}\"; filename*=UTF-8''{coded}")
}

#[cfg(test)]
mod tests {
    use super::*;

    fn headers(pairs: &[(&'static str, &'static str)]) -> HeaderMap {
        let pair = |(k, v): &(&'static str, &'static str)| {
            (HeaderName::from_static(k), HeaderValue::from_static(v))
        };
        pairs.iter().map(pair).collect()
    }

    #[test]
    fn another_site_s_page_changes_nothing_here() {
        let own = [
            ("host", "127.0.0.1:7070"),
            ("origin", "http://127.0.0.1:7070"),
        ];
        assert!(same_origin(&headers(&own)));
        let other = [
            ("host", "127.0.0.1:7070"),
            ("origin", "http://evil.example"),
        ];
        assert!(!same_origin(&headers(&other)));
        let null = [("host", "127.0.0.1:7070"), ("origin", "null")];
        assert!(!same_origin(&headers(&null)));
        let cross = [("host", "127.0.0.1:7070"), ("sec-fetch-site", "cross-site")];
        assert!(!same_origin(&headers(&cross)));
    }

    #[test]
    fn only_this_machine_s_own_names_are_answered() {
        for host in ["localhost:7070", "127.0.0.1", "[::1]:7070", "127.1.2.3:80"] {
            assert!(names_this_machine(&headers(&[("host", host)])), "{host}");
        }
        for host in [
            "rebound.example:7070",
            "192.168.1.5:7070",
            "127.0.0.1.example",
        ] {
            assert!(!names_this_machine(&headers(&[("host", host)])), "{host}");
        }
    }
}
