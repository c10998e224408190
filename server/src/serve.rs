//! Listening: plain or with TLS, until told to stop.

use std::io::Write;
use std::net::{IpAddr, SocketAddr, TcpListener, UdpSocket};
use std::os::unix::fs::OpenOptionsExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use anyhow::Context;
use axum_server::Handle;
use axum_server::tls_rustls::RustlsConfig;

use crate::app::App;

/// How a server proves who it is.
#[derive(Clone, Debug)]
pub enum Tls {
    None,
    Files {
        cert: PathBuf,
        key: PathBuf,
    },
    /// With a certificate of its own making, kept in the data folder.
    SelfSigned,
}

/// Serves until the process is told to stop; then lets what is under way finish.
pub async fn serve(app: App, listener: TcpListener, tls: Tls, data: &Path) -> anyhow::Result<()> {
    listener.set_nonblocking(true)?;
    // Fails only when it has been done already.
    let _ = rustls::crypto::ring::default_provider().install_default();
    let handle = Handle::new();
    tokio::spawn(stop_when_told(handle.clone()));
    std::thread::spawn(crate::assets::warm_up);
    let service = app
        .router()
        .into_make_service_with_connect_info::<SocketAddr>();
    let config = match tls {
        Tls::None => {
            let server = axum_server::from_tcp(listener)?.handle(handle);
            return Ok(server.serve(service).await?);
        }
        Tls::Files { cert, key } => RustlsConfig::from_pem_file(&cert, &key)
            .await
            .with_context(|| {
                format!("{} and {} could not be used", cert.display(), key.display())
            })?,
        Tls::SelfSigned => self_signed(data).await?,
    };
    let config = with_http_1(&config);
    let server = axum_server::from_tcp_rustls(listener, config)?.handle(handle);
    Ok(server.serve(service).await?)
}

/// Sockets are upgraded and hosts named as HTTP/1.1 has it, so nothing else is offered.
fn with_http_1(config: &RustlsConfig) -> RustlsConfig {
    let mut inner = (*config.get_inner()).clone();
    inner.alpn_protocols = vec![b"http/1.1".to_vec()];
    RustlsConfig::from_config(Arc::new(inner))
}

async fn self_signed(data: &Path) -> anyhow::Result<RustlsConfig> {
    let (cert, key) = (
        data.join("self-signed.pem"),
        data.join("self-signed-key.pem"),
    );
    if !cert.exists() || !key.exists() {
        let mut names = vec!["localhost".to_owned(), "127.0.0.1".to_owned()];
        names.extend(own_address().map(|ip| ip.to_string()));
        let made = rcgen::generate_simple_self_signed(names)?;
        std::fs::OpenOptions::new()
            .write(true)
            .create(true)
            .truncate(true)
            .mode(0o600)
            .open(&key)?
            .write_all(made.signing_key.serialize_pem().as_bytes())?;
        std::fs::write(&cert, made.cert.pem())?;
    }
    Ok(RustlsConfig::from_pem_file(&cert, &key).await?)
}

async fn stop_when_told(handle: Handle<SocketAddr>) {
    let mut terminate =
        match tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate()) {
            Ok(signal) => signal,
            Err(_) => return,
        };
    tokio::select! {
        _ = tokio::signal::ctrl_c() => {}
        _ = terminate.recv() => {}
    }
    handle.graceful_shutdown(Some(Duration::from_secs(2)));
}

/// This machine's address as others on its network see it. Nothing is sent: connecting a datagram
/// socket only chooses a route.
pub fn own_address() -> Option<IpAddr> {
    let socket = UdpSocket::bind("0.0.0.0:0").ok()?;
    // An address for documentation, RFC 5737.
    socket.connect("192.0.2.1:9").ok()?;
    let ip = socket.local_addr().ok()?.ip();
    (!ip.is_unspecified()).then_some(ip)
}
