//! Reading and drawing what people bring, apart from everything else.
//!
//! A few worker processes ([`worker`]) do it, as many as there are processors. A job says how much
//! memory it may take and for how long; both are held to. What waits for a worker waits in order,
//! and no more than [`WAITING`] jobs do. Whoever does not want the answer any more drops the future,
//! and the worker that was at it ends.

pub mod job;
mod printed;
pub mod worker;

pub use printed::Printed;

use std::os::unix::process::ExitStatusExt;
use std::path::PathBuf;
use std::process::Stdio;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use bozzetto_core::wire::{decode, encode};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::process::{Child, ChildStdin, ChildStdout, Command};
use tokio::sync::Semaphore;
use tokio::time::timeout;

use crate::error::AppError;
use job::{Done, Job, Order};

const MB: u64 = 1024 * 1024;
/// What a job takes at most, in bytes, unless it asks for more: two at once take what there is.
pub const ORDINARY: u64 = 232 * MB;
/// What the largest job takes; it is alone then.
pub const LARGE: u64 = 2 * ORDINARY;

/// How many jobs wait for a worker at most.
const WAITING: usize = 256;
/// How long a job waits for a worker at most.
const PATIENCE: Duration = Duration::from_secs(240);
/// A worker that has had nothing to do for so long ends.
const IDLE: Duration = Duration::from_secs(120);
/// The longest answer, in bytes: a capture of the largest size that cannot be packed.
const LONGEST: usize = 256 * 1024 * 1024;

/// How long things may take, in time of one processor; on a busy machine it takes longer until that is
/// used up, but no longer than [`BUSY`] times as long.
pub const TO_READ: Duration = Duration::from_secs(15);
pub const TO_DRAW: Duration = Duration::from_secs(20);
pub const TO_DRAW_SMALL: Duration = Duration::from_secs(6);
/// A capture may have the pixels of eight screens.
pub const TO_CAPTURE: Duration = LONGEST_JOB;
/// How long anything may take.
pub const LONGEST_JOB: Duration = Duration::from_secs(90);
const BUSY: u32 = 4;

/// Why a job was not done.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
pub enum RenderFault {
    /// In words for whoever asked.
    #[error("{0}")]
    Unusable(String),
    #[error("It takes too long to draw, so it is not shown. A simpler file will work.")]
    TooLong,
    #[error(
        "It takes more memory to draw than there is, or the file is damaged. A smaller or simpler file will work."
    )]
    TooLarge,
    #[error("The server has too much to draw at the moment. Please try again.")]
    Busy,
}

impl RenderFault {
    /// Whether the same job would end the same way another time.
    pub fn lasts(&self) -> bool {
        *self != RenderFault::Busy
    }
}

impl From<RenderFault> for AppError {
    fn from(fault: RenderFault) -> Self {
        match fault {
            RenderFault::Busy => AppError::Busy(fault.to_string()),
            _ => AppError::Unusable(fault.to_string()),
        }
    }
}

/// The workers; cheap to clone.
#[derive(Clone)]
pub struct Pool {
    inner: Arc<Inner>,
}

struct Inner {
    program: PathBuf,
    longest: Duration,
    workers: Semaphore,
    /// In MB.
    memory: Semaphore,
    waiting: AtomicUsize,
    /// How many jobs were begun.
    jobs: AtomicUsize,
    idle: Mutex<Vec<Worker>>,
}

struct Worker {
    process: Child,
    input: ChildStdin,
    output: ChildStdout,
    /// When it last had something to do.
    used: Instant,
}

impl Inner {
    /// Ends workers that have had nothing to do for long.
    fn end_idle(self: Arc<Self>) -> Arc<Self> {
        let mut idle = self.idle.lock().expect("nothing panics with it");
        idle.retain(|w| w.used.elapsed() < IDLE);
        drop(idle);
        self
    }
}

impl Pool {
    /// Workers are started from `program`, when there is something to do, and given no longer than
    /// `longest` for it.
    pub fn new(program: PathBuf, longest: Duration) -> Self {
        let processors = std::thread::available_parallelism().map_or(1, |n| n.get());
        let inner = Arc::new(Inner {
            program,
            longest,
            workers: Semaphore::new(processors),
            memory: Semaphore::new((LARGE / MB) as usize),
            waiting: AtomicUsize::new(0),
            jobs: AtomicUsize::new(0),
            idle: Mutex::default(),
        });
        let pool = Arc::downgrade(&inner);
        tokio::spawn(async move {
            while let Some(pool) = pool.upgrade().map(|p| p.end_idle()) {
                drop(pool);
                tokio::time::sleep(IDLE / 4).await;
            }
        });
        Self { inner }
    }

    /// How many jobs workers were given so far.
    pub fn jobs(&self) -> usize {
        self.inner.jobs.load(Ordering::Relaxed)
    }

    /// Has a job done with an ordinary worker's memory and, when that is not enough, with all there
    /// is.
    pub async fn run(&self, job: Job, within: Duration) -> Result<Done, RenderFault> {
        match self.run_with(job.clone(), ORDINARY, within).await {
            Err(RenderFault::TooLarge) => self.run_with(job, LARGE, within).await,
            done => done,
        }
    }

    /// As [`Pool::run`], for a job that is expected to take `memory` bytes.
    pub async fn run_sized(
        &self,
        job: Job,
        memory: u64,
        within: Duration,
    ) -> Result<Done, RenderFault> {
        match memory > ORDINARY {
            true => self.run_with(job, LARGE, within).await,
            false => self.run(job, within).await,
        }
    }

    /// Has a job done that may take `memory` bytes, [`LARGE`] at most.
    pub async fn run_with(
        &self,
        job: Job,
        memory: u64,
        within: Duration,
    ) -> Result<Done, RenderFault> {
        let memory = memory.clamp(ORDINARY, LARGE);
        let place = Waiting::begin(&self.inner.waiting)?;
        let got = timeout(PATIENCE, async {
            let memory = self.inner.memory.acquire_many((memory / MB) as u32).await;
            (memory, self.inner.workers.acquire().await)
        });
        let _held = got.await.map_err(|_| RenderFault::Busy)?;
        drop(place);
        self.inner.jobs.fetch_add(1, Ordering::Relaxed);
        let within = within.min(self.inner.longest);
        let order = encode(&Order {
            memory,
            seconds: within.as_secs().max(1),
            job,
        });
        let done = timeout(within * BUSY, async {
            let mut worker = self.worker()?;
            let done = worker.ask(&order).await?;
            Ok((worker, done))
        });
        match done.await {
            Err(_) => Err(RenderFault::TooLong),
            Ok(Err(fault)) => Err(fault),
            Ok(Ok((mut worker, done))) => {
                // One that has had much keeps much: it has done its part.
                if memory == ORDINARY {
                    worker.used = Instant::now();
                    let mut idle = self.inner.idle.lock().expect("nothing panics with it");
                    idle.push(worker);
                }
                match done {
                    Done::Fault(why) => Err(RenderFault::Unusable(why)),
                    done => Ok(done),
                }
            }
        }
    }

    /// The worker that has worked last, since it has the most at hand, or a new one.
    fn worker(&self) -> Result<Worker, RenderFault> {
        let mut idle = self.inner.idle.lock().expect("nothing panics with it");
        while let Some(mut worker) = idle.pop() {
            if matches!(worker.process.try_wait(), Ok(None)) {
                return Ok(worker);
            }
        }
        drop(idle);
        let started = Command::new(&self.inner.program)
            .arg("render")
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            // Each thread of the usual allocator keeps an arena of its own otherwise.
            .env("MALLOC_ARENA_MAX", "2")
            .kill_on_drop(true)
            .spawn();
        let mut process = started.map_err(|e| {
            tracing::error!("no worker could be started: {e}");
            RenderFault::Busy
        })?;
        match (process.stdin.take(), process.stdout.take()) {
            (Some(input), Some(output)) => Ok(Worker {
                process,
                input,
                output,
                used: Instant::now(),
            }),
            _ => Err(RenderFault::Busy),
        }
    }
}

impl Worker {
    async fn ask(&mut self, order: &[u8]) -> Result<Done, RenderFault> {
        let asked = async {
            self.input.write_u32_le(order.len() as u32).await?;
            self.input.write_all(order).await?;
            self.input.flush().await?;
            let length = self.output.read_u32_le().await? as usize;
            if length > LONGEST {
                return Err(std::io::ErrorKind::InvalidData.into());
            }
            let mut answer = vec![0; length];
            self.output.read_exact(&mut answer).await?;
            std::io::Result::Ok(answer)
        };
        match asked.await {
            Ok(answer) => decode(&answer).ok_or(RenderFault::TooLarge),
            Err(_) => Err(self.why_ended().await),
        }
    }

    /// A worker that ends in the midst of a job has used up its time, was refused memory, or fell over
    /// the file.
    async fn why_ended(&mut self) -> RenderFault {
        let _ = self.process.start_kill();
        let signal = self.process.wait().await.ok().and_then(|s| s.signal());
        match signal == Some(rustix::process::Signal::XCPU.as_raw()) {
            true => RenderFault::TooLong,
            false => RenderFault::TooLarge,
        }
    }
}

/// A place in the queue.
struct Waiting<'a>(&'a AtomicUsize);

impl<'a> Waiting<'a> {
    fn begin(count: &'a AtomicUsize) -> Result<Self, RenderFault> {
        let place = Self(count);
        match count.fetch_add(1, Ordering::Relaxed) < WAITING {
            true => Ok(place),
            false => Err(RenderFault::Busy),
        }
    }
}

impl Drop for Waiting<'_> {
    fn drop(&mut self) {
        self.0.fetch_sub(1, Ordering::Relaxed);
    }
}
