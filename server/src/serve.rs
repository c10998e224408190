//! Listening: plain or with TLS, until told to stop. Whoever is slow or silent is not waited for.

use std::io::Write;
use std::net::{IpAddr, SocketAddr, TcpListener, UdpSocket};
use std::os::unix::fs::OpenOptionsExt;
use std::path::{Path, PathBuf};
use std::pin::Pin;
use std::sync::Arc;
use std::task::{Context as TaskContext, Poll};
use std::time::Duration;

use anyhow::Context;
use axum_server::Handle;
use axum_server::accept::Accept;
use axum_server::tls_rustls::{RustlsAcceptor, RustlsConfig};
use hyper_util::rt::TokioTimer;
use tokio::io::{AsyncRead, AsyncWrite, ReadBuf};
use tokio::net::TcpStream;
use tokio_io_timeout::TimeoutStream;

use crate::app::App;
use crate::seats::{Admitted, Seats};

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

/// How long the head of a request may take.
const HEAD: Duration = Duration::from_secs(10);
/// The longest head, in bytes.
const LONGEST_HEAD: usize = 32 * 1024;
/// The most lines in it.
const MOST_HEADERS: usize = 100;
/// How long a connection may be silent. Sockets are pinged more often.
const SILENT: Duration = Duration::from_secs(60);
/// How long somebody may not take what is sent.
const UNREAD: Duration = Duration::from_secs(20);

/// Serves until the process is told to stop; then lets what is under way finish.
pub async fn serve(app: App, listener: TcpListener, tls: Tls, data: &Path) -> anyhow::Result<()> {
    let handle = Handle::new();
    tokio::spawn(stop_when_told(handle.clone()));
    std::thread::spawn(crate::assets::warm_up);
    let catching_up = app.clone();
    tokio::spawn(async move { crate::captures::catch_up(&catching_up).await });
    tokio::spawn(crate::media::forget_daily(app.clone()));
    listen(app, listener, tls, data, handle).await
}

/// Serves until `handle` says that it is enough.
pub async fn listen(
    app: App,
    listener: TcpListener,
    tls: Tls,
    data: &Path,
    handle: Handle<SocketAddr>,
) -> anyhow::Result<()> {
    listener.set_nonblocking(true)?;
    // Fails only when it has been done already.
    let _ = rustls::crypto::ring::default_provider().install_default();
    let door = Door {
        seats: app.seats.clone(),
    };
    let service = crate::router::router(app).into_make_service_with_connect_info::<SocketAddr>();
    let config = match tls {
        Tls::None => {
            let mut server = axum_server::from_tcp(listener)?
                .acceptor(door)
                .handle(handle);
            be_strict(server.http_builder());
            return Ok(server.serve(service).await?);
        }
        Tls::Files { cert, key } => RustlsConfig::from_pem_file(&cert, &key)
            .await
            .with_context(|| {
                format!("{} and {} could not be used", cert.display(), key.display())
            })?,
        Tls::SelfSigned => self_signed(data).await?,
    };
    let acceptor = RustlsAcceptor::new(with_http_1(&config)).acceptor(door);
    let mut server = axum_server::from_tcp(listener)?
        .acceptor(acceptor)
        .handle(handle);
    be_strict(server.http_builder());
    Ok(server.serve(service).await?)
}

type Builder = hyper_util::server::conn::auto::Builder<hyper_util::rt::TokioExecutor>;

fn be_strict(builder: &mut Builder) {
    builder
        .http1()
        .timer(TokioTimer::new())
        .header_read_timeout(HEAD)
        .max_buf_size(LONGEST_HEAD)
        .max_headers(MOST_HEADERS);
    // Sockets are upgraded and hosts named as HTTP/1.1 has it.
    *builder = builder.clone().http1_only();
}

/// Lets connections in, as many as there may be, and watches that they go on.
#[derive(Clone)]
struct Door {
    seats: Seats,
}

impl<S: Send + 'static> Accept<TcpStream, S> for Door {
    type Stream = Watched;
    type Service = S;
    type Future = std::future::Ready<std::io::Result<(Watched, S)>>;

    fn accept(&self, stream: TcpStream, service: S) -> Self::Future {
        let watched = || {
            // Ink does not wait for more to come.
            stream.set_nodelay(true)?;
            let from = stream.peer_addr()?.ip();
            let too_many = || std::io::Error::other("too many connections");
            let admitted = self.seats.admit(from).ok_or_else(too_many)?;
            let mut stream = TimeoutStream::new(stream);
            stream.set_read_timeout(Some(SILENT));
            stream.set_write_timeout(Some(UNREAD));
            Ok(Watched {
                stream: Box::pin(stream),
                _admitted: admitted,
            })
        };
        std::future::ready(watched().map(|stream| (stream, service)))
    }
}

/// A connection that ends when it is silent, or takes nothing, for too long.
struct Watched {
    stream: Pin<Box<TimeoutStream<TcpStream>>>,
    _admitted: Admitted,
}

impl AsyncRead for Watched {
    fn poll_read(
        mut self: Pin<&mut Self>,
        cx: &mut TaskContext<'_>,
        buf: &mut ReadBuf<'_>,
    ) -> Poll<std::io::Result<()>> {
        self.stream.as_mut().poll_read(cx, buf)
    }
}

impl AsyncWrite for Watched {
    fn poll_write(
        mut self: Pin<&mut Self>,
        cx: &mut TaskContext<'_>,
        bytes: &[u8],
    ) -> Poll<std::io::Result<usize>> {
        self.stream.as_mut().poll_write(cx, bytes)
    }

    fn poll_flush(mut self: Pin<&mut Self>, cx: &mut TaskContext<'_>) -> Poll<std::io::Result<()>> {
        self.stream.as_mut().poll_flush(cx)
    }

    fn poll_shutdown(
        mut self: Pin<&mut Self>,
        cx: &mut TaskContext<'_>,
    ) -> Poll<std::io::Result<()>> {
        self.stream.as_mut().poll_shutdown(cx)
    }

    fn poll_write_vectored(
        mut self: Pin<&mut Self>,
        cx: &mut TaskContext<'_>,
        bufs: &[std::io::IoSlice<'_>],
    ) -> Poll<std::io::Result<usize>> {
        self.stream.as_mut().poll_write_vectored(cx, bufs)
    }

    fn is_write_vectored(&self) -> bool {
        self.stream.is_write_vectored()
    }
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
