//! What all handlers share, and which address leads to which handler.

use std::net::SocketAddr;
use std::path::Path;
use std::sync::Arc;

use axum::Router;
use axum::extract::DefaultBodyLimit;
use axum::middleware::{from_fn, from_fn_with_state};
use axum::response::{IntoResponse, Response};
use axum::routing::{get, post};
use tower_http::compression::CompressionLayer;

use crate::auth::wait::Waits;
use crate::auth::{passphrase, presenter};
use crate::backdrops::{Documents, Pictures};
use crate::error::AppError;
use crate::live::Live;
use crate::media::Media;
use crate::store::Store;
use crate::{assets, backdrops, captures, follow, headers, lessons, media, settings, stage};

/// What all handlers share; cheap to clone.
#[derive(Clone)]
pub struct App {
    pub store: Store,
    pub media: Media,
    pub live: Live,
    /// Pictures read for printing, the last few of them.
    pub pictures: Arc<Pictures>,
    /// Documents that are open, and pages of them that were printed.
    pub documents: Arc<Documents>,
    pub entry_waits: Arc<Waits>,
    pub join_waits: Arc<Waits>,
    /// Opens without a passphrase: only this machine can reach it.
    pub open: bool,
    pub tls: bool,
    pub listen: SocketAddr,
}

/// Why a server cannot be started, in words for whoever starts it.
#[derive(Debug, thiserror::Error)]
pub enum StartError {
    #[error(
        "other machines could reach {0}, so a presenter passphrase has to be set first:\n  \
         bozzetto passphrase --data DIR"
    )]
    NoPassphrase(SocketAddr),
    #[error(transparent)]
    Other(#[from] anyhow::Error),
}

impl App {
    /// Opens the data folder for a server that listens on `listen`.
    pub async fn open(data: &Path, listen: SocketAddr, tls: bool) -> Result<Self, StartError> {
        std::fs::create_dir_all(data).map_err(anyhow::Error::from)?;
        let store = Store::open(data)?;
        let media = Media::open(data)?;
        let open = listen.ip().is_loopback();
        let other = |e: crate::store::StoreError| anyhow::Error::from(e);
        let hash = store.read(passphrase::hash).await.map_err(other)?;
        if !open && hash.is_none() {
            return Err(StartError::NoPassphrase(listen));
        }
        match store.write(media::forget_deleted).await {
            Ok(known) => media.sweep(&known).map_err(anyhow::Error::from)?,
            // A full or read-only disk is no reason not to show what there is.
            Err(e) => tracing::warn!("nothing can be written: {e}"),
        }
        Ok(Self {
            live: Live::new(store.clone()),
            store,
            media,
            pictures: Arc::default(),
            documents: Arc::default(),
            entry_waits: Arc::default(),
            join_waits: Arc::default(),
            open,
            tls,
            listen,
        })
    }

    pub fn router(self) -> Router {
        let presenter = Router::new()
            .merge(lessons::routes())
            .merge(stage::routes())
            .merge(backdrops::routes())
            .merge(captures::routes())
            .merge(settings::routes())
            .layer(from_fn_with_state(self.clone(), presenter::only_presenters));
        Router::new()
            .merge(presenter)
            .merge(follow::routes())
            .merge(backdrops::follow())
            .route("/pages/{page}/{*path}", get(backdrops::serve_web_page))
            .route("/enter", get(presenter::page).post(presenter::enter))
            .route("/static/{build}/{*path}", get(assets::serve))
            .route("/favicon.ico", get(favicon))
            .route("/health", get(async || "well"))
            .fallback(async || AppError::NotFound)
            .layer(DefaultBodyLimit::max(1024 * 1024))
            // Pages and vector pictures are packed on the way; pixels and what is packed already
            // are not.
            .layer(CompressionLayer::new())
            .layer(from_fn(log))
            .layer(from_fn_with_state(self.clone(), headers::guard))
            .with_state(self)
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

/// `post` for uploads, which may be larger than anything else.
pub fn upload<H, T>(handler: H, limit: usize) -> axum::routing::MethodRouter<App>
where
    H: axum::handler::Handler<T, App>,
    T: 'static,
{
    post(handler).layer(DefaultBodyLimit::max(limit))
}
