//! `bozzetto`: the command.

use std::io::{IsTerminal, Write};
use std::net::{IpAddr, SocketAddr, TcpListener};
use std::path::PathBuf;
use std::process::ExitCode;

use bozzetto::app::{App, Options};
use bozzetto::auth::passphrase;
use bozzetto::serve::{Tls, own_address, serve};
use bozzetto::store::Store;
use clap::{Args, Parser, Subcommand};

/// Draw, highlight and spotlight live on whatever is on screen, and hand the marked-up picture to
/// the people who were there.
#[derive(Parser)]
#[command(version, about)]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Serve the lessons in a data folder.
    Serve(Serve),
    /// Set the presenter passphrase, which is asked for whenever other machines can reach the server.
    Passphrase {
        /// The data folder.
        #[arg(long)]
        data: PathBuf,
    },
    /// Read and draw files, as the server tells it; the server starts this by itself.
    #[command(hide = true)]
    Render,
    /// Fill a data folder with made-up lessons to try everything with.
    DemoData {
        /// The data folder; must be new or empty.
        #[arg(long)]
        data: PathBuf,
    },
}

#[derive(Args)]
struct Serve {
    /// Where lessons, captures and settings are kept; made if it is not there.
    #[arg(long)]
    data: PathBuf,
    /// Address and port to listen on. Any but this machine's own (127.0.0.1) needs a passphrase.
    #[arg(long, default_value = "127.0.0.1:7070")]
    listen: SocketAddr,
    /// If the port is taken, take the next free one.
    #[arg(long)]
    next_free: bool,
    /// A certificate (PEM); browsers give clipboard and camera only to secure addresses.
    #[arg(long, requires = "tls_key", conflicts_with = "tls_self_signed")]
    tls_cert: Option<PathBuf>,
    /// The certificate's private key (PEM).
    #[arg(long, requires = "tls_cert")]
    tls_key: Option<PathBuf>,
    /// Serve with a certificate of its own making; browsers will ask once whether to trust it.
    #[arg(long)]
    tls_self_signed: bool,
    /// The address of a proxy that passes requests on, and whose word is taken on whom they come
    /// from. A passphrase is asked for then, whatever the server listens on.
    #[arg(long, value_name = "ADDRESS")]
    behind_proxy: Vec<IpAddr>,
    /// Let pages be framed from addresses of the server's own network as well.
    #[arg(long)]
    private_addresses: bool,
    /// How much the data folder may hold, in GB; what is beyond that is refused, but for marks.
    #[arg(long, value_name = "GB")]
    quota: Option<f64>,
}

fn main() -> ExitCode {
    let cli = Cli::parse();
    // A worker needs nothing of what a server needs.
    if let Command::Render = cli.command {
        return done(bozzetto::render::worker::run());
    }
    match tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        .build()
    {
        Ok(runtime) => runtime.block_on(work(cli)),
        Err(e) => done(Err(e.into())),
    }
}

async fn work(cli: Cli) -> ExitCode {
    let filter = tracing_subscriber::EnvFilter::try_from_env("BOZZETTO_LOG")
        .unwrap_or_else(|_| "warn".into());
    tracing_subscriber::fmt()
        .with_env_filter(filter)
        .with_writer(std::io::stderr)
        .init();
    done(match cli.command {
        Command::Serve(options) => run(options).await,
        Command::Passphrase { data } => set_passphrase(data).await,
        Command::DemoData { data } => bozzetto::demo::fill(&data).await,
        Command::Render => bozzetto::render::worker::run(),
    })
}

fn done(done: anyhow::Result<()>) -> ExitCode {
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(e) => {
            eprintln!("bozzetto: {e:#}");
            ExitCode::FAILURE
        }
    }
}

async fn run(options: Serve) -> anyhow::Result<()> {
    let tls = match (options.tls_cert, options.tls_key) {
        (Some(cert), Some(key)) => Tls::Files { cert, key },
        _ if options.tls_self_signed => Tls::SelfSigned,
        _ => Tls::None,
    };
    let _lock = bozzetto::lock::take(&options.data)?;
    let listener = listen(options.listen, options.next_free)?;
    let address = listener.local_addr()?;
    let secure = !matches!(tls, Tls::None);
    let app = App::open(
        &options.data,
        Options {
            tls: secure,
            proxies: options.behind_proxy,
            private_addresses: options.private_addresses,
            quota: options.quota.map(|gb| (gb * 1e9) as u64),
            ..Options::new(address)
        },
    )
    .await?;
    print_addresses(address, secure, app.open);
    serve(app, listener, tls, &options.data).await
}

fn listen(wanted: SocketAddr, next_free: bool) -> anyhow::Result<TcpListener> {
    let mut address = wanted;
    loop {
        match TcpListener::bind(address) {
            Ok(listener) => return Ok(listener),
            Err(e) if next_free && e.kind() == std::io::ErrorKind::AddrInUse => {
                let next = address.port().checked_add(1);
                address.set_port(next.ok_or_else(|| anyhow::anyhow!("no port is free"))?);
            }
            Err(e) if e.kind() == std::io::ErrorKind::AddrInUse => {
                anyhow::bail!("{address} is taken by another program; choose another with --listen")
            }
            Err(e) => anyhow::bail!("{address} cannot be listened on: {e}"),
        }
    }
}

fn print_addresses(address: SocketAddr, secure: bool, open: bool) {
    let scheme = if secure { "https" } else { "http" };
    let shown = match address.ip() {
        ip if ip.is_unspecified() => {
            let ip = own_address().unwrap_or(ip);
            SocketAddr::new(ip, address.port())
        }
        _ => address,
    };
    let mut said =
        format!("presenter     {scheme}://{shown}/\nparticipants  {scheme}://{shown}/join\n");
    if !open && !secure {
        said += "Without TLS, whoever shares the network can read along, the passphrase included: see \
                 --tls-self-signed and --tls-cert.\n";
    }
    if open {
        said += &format!(
            "Only this machine can reach these. --listen 0.0.0.0:{} opens them to others.\n",
            address.port()
        );
    }
    // Whoever started the server need not listen to it.
    let mut out = std::io::stdout().lock();
    let _ = out.write_all(said.as_bytes()).and_then(|()| out.flush());
}

async fn set_passphrase(data: PathBuf) -> anyhow::Result<()> {
    let typed = if std::io::stdin().is_terminal() {
        let first = rpassword::prompt_password("New presenter passphrase: ")?;
        let again = rpassword::prompt_password("Once more: ")?;
        anyhow::ensure!(
            first == again,
            "the two are not the same; nothing was changed"
        );
        first
    } else {
        let mut line = String::new();
        std::io::stdin().read_line(&mut line)?;
        line.trim_end_matches(['\r', '\n']).to_owned()
    };
    if let Some(why) = passphrase::weakness(&typed) {
        anyhow::bail!("{why}; nothing was changed");
    }
    std::fs::create_dir_all(&data)?;
    let store = Store::open(&data)?;
    store
        .write(move |conn| passphrase::set(conn, &typed))
        .await?;
    println!("The passphrase is set. Presenters have to give it again, also where they are in.");
    Ok(())
}
