//! What all handlers share.

use std::net::{IpAddr, SocketAddr};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use axum::http::HeaderMap;
use tokio::sync::{Semaphore, watch};

use crate::auth::guessing::{ENTERING, Guesses, JOINING};
use crate::auth::passphrase;
use crate::auth::signing::{self, Secret};
use crate::live::Live;
use crate::media::Media;
use crate::recordings::{Films, Replays};
use crate::render::{LONGEST_JOB, Pool, Printed};
use crate::room::Room;
use crate::seats::Seats;
use crate::store::Store;
use crate::{lessons, media};

/// How a server is started.
#[derive(Clone, Debug)]
pub struct Options {
    pub listen: SocketAddr,
    pub tls: bool,
    /// The program that workers are started from: this one, with `render`.
    pub program: PathBuf,
    /// The addresses of proxies whose word is taken on whom they speak for.
    pub proxies: Vec<IpAddr>,
    /// How long reading or drawing a file may take.
    pub longest_job: Duration,
    /// Whether pages may be framed from addresses of the server's own network.
    pub private_addresses: bool,
    /// How many bytes the data folder may have.
    pub quota: Option<u64>,
    /// How many connections there may be; without it as many as the system lets.
    pub connections: Option<usize>,
    /// A folder that captures are written into as well.
    pub also_save: Option<PathBuf>,
}

impl Options {
    /// As usual, for a server that listens there.
    pub fn new(listen: SocketAddr) -> Self {
        // What is running stays the same file even when another version takes its name.
        let own = PathBuf::from("/proc/self/exe");
        let program = match own.exists() {
            true => own,
            false => std::env::current_exe().unwrap_or_default(),
        };
        Self {
            listen,
            tls: false,
            program,
            proxies: Vec::new(),
            longest_job: LONGEST_JOB,
            private_addresses: false,
            quota: None,
            connections: None,
            also_save: None,
        }
    }
}

/// What all handlers share; cheap to clone.
#[derive(Clone)]
pub struct App {
    pub store: Store,
    pub media: Media,
    pub films: Films,
    /// Lessons that are shown again.
    pub replays: Replays,
    pub live: Live,
    pub room: Room,
    pub render: Pool,
    pub printed: Printed,
    pub joining: Arc<Guesses>,
    pub entering: Arc<Guesses>,
    /// How many passphrases are hashed at once: each takes 19 MB.
    pub hashing: Arc<Semaphore>,
    /// How many ZIP files are unpacked at once.
    pub unpacking: Arc<Semaphore>,
    /// Held by whoever ends the marking of a capture.
    pub marking: crate::captures::Ending,
    /// Held by whoever writes captures into another folder.
    pub also_saving: Arc<tokio::sync::Mutex<()>>,
    pub seats: Seats,
    pub secret: Secret,
    /// Changes whenever sessions were ended.
    pub sessions: watch::Sender<()>,
    /// Changes whenever the presenter's settings did.
    pub settings: watch::Sender<()>,
    /// Opens without a passphrase: only this machine can reach it.
    pub open: bool,
    pub tls: bool,
    pub listen: SocketAddr,
    pub options: Arc<Options>,
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
    /// Opens the data folder for a server.
    pub async fn open(data: &Path, options: Options) -> Result<Self, StartError> {
        std::fs::create_dir_all(data).map_err(anyhow::Error::from)?;
        let store = Store::open(data)?;
        let media = Media::open(data)?;
        let films = Films::open(data)?;
        // Behind a proxy others can reach what listens on this machine only.
        let open = options.listen.ip().is_loopback() && options.proxies.is_empty();
        let other = |e: crate::store::StoreError| anyhow::Error::from(e);
        let hash = store.read(passphrase::hash).await.map_err(other)?;
        if !open && hash.is_none() {
            return Err(StartError::NoPassphrase(options.listen));
        }
        match store.write(media::forget_deleted).await {
            Ok(known) => media.sweep(&known).map_err(anyhow::Error::from)?,
            // A full or read-only disk is no reason not to show what there is.
            Err(e) => tracing::warn!("nothing can be written: {e}"),
        }
        films.sweep_unused(&store).await;
        if let Err(e) = store.write(lessons::queries::renew_old_codes).await {
            tracing::warn!("old join codes stay: {e}");
        }
        // A secret that cannot be kept does until the server is started again.
        let secret = store.write(signing::secret).await;
        let secret = secret.unwrap_or_else(|_| rand::random());
        let render = Pool::new(options.program.clone(), options.longest_job);
        Ok(Self {
            live: Live::new(store.clone()),
            store,
            media,
            films,
            replays: Replays::default(),
            room: Room::new(data, options.quota),
            printed: Printed::new(render.clone()),
            render,
            joining: Arc::new(Guesses::new(JOINING)),
            entering: Arc::new(Guesses::new(ENTERING)),
            hashing: Arc::new(Semaphore::new(2)),
            unpacking: Arc::new(Semaphore::new(2)),
            marking: crate::captures::Ending::default(),
            also_saving: Arc::default(),
            seats: options.connections.map_or_else(Seats::default, Seats::of),
            secret,
            sessions: watch::Sender::new(()),
            settings: watch::Sender::new(()),
            open,
            tls: options.tls,
            listen: options.listen,
            options: Arc::new(options),
        })
    }

    /// Sessions were ended: open pages look whether theirs was among them.
    pub fn sessions_changed(&self) {
        self.sessions.send_replace(());
    }

    /// Whom a request comes from: the other end of the line or, where that is a proxy that we were
    /// told of, whom it says it speaks for.
    pub fn address(&self, from: SocketAddr, headers: &HeaderMap) -> IpAddr {
        let from = from.ip().to_canonical();
        if !self.options.proxies.contains(&from) {
            return from;
        }
        // Each proxy adds whom it heard at the end; what comes before the last may be made up.
        let all = headers.get_all("x-forwarded-for").iter();
        let last = all.filter_map(|v| v.to_str().ok()).next_back();
        let last = last.and_then(|v| v.rsplit(',').next()?.trim().parse().ok());
        last.unwrap_or(from)
    }
}
