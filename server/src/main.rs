//! `bozzetto`: the command.

use std::io::{IsTerminal, Write};
use std::net::{SocketAddr, TcpListener};
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use bozzetto::app::{App, Options};
use bozzetto::auth::passphrase;
use bozzetto::cli::{self, Cli, Command, Serve};
use bozzetto::serve::{Tls, own_address, serve};
use bozzetto::store::Store;
use bozzetto::upkeep::backup;
use bozzetto::upkeep::verify::{self, Report};
use clap::Parser;

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
        Command::Backup { data, to } => back_up(&data, &to),
        Command::Verify { data } => verify(&data),
        Command::Manual { to } => cli::write_manual(&to),
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
            also_save: options.also_save,
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

fn back_up(data: &Path, to: &Path) -> anyhow::Result<()> {
    let kept = backup::run(data, to)?;
    let (files, new, to) = (kept.files, kept.new, to.display());
    println!(
        "{to} is a copy of the data folder: its database and {files} files, {new} of them new."
    );
    Ok(())
}

fn verify(data: &Path) -> anyhow::Result<()> {
    let report = verify::run(data)?;
    let Report {
        lessons,
        marks,
        files,
        idle,
        faults,
    } = &report;
    println!("{lessons} lessons with {marks} marks, {files} files were looked at.");
    if *idle > 0 {
        println!("{idle} further files are not needed; the server's next start removes them.");
    }
    faults.iter().for_each(|fault| println!("- {fault}"));
    anyhow::ensure!(
        faults.is_empty(),
        "{} is damaged, as said above. The newest backup that is whole may have what is missing",
        data.display()
    );
    println!("All of it is there and whole.");
    Ok(())
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
