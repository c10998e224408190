//! What can be typed after `bozzetto`, and what is made from that for shells and manuals.

use std::fs;
use std::net::{IpAddr, SocketAddr};
use std::path::{Path, PathBuf};

use clap::{Args, CommandFactory, Parser, Subcommand};
use clap_complete::Shell;

/// Draw, highlight and spotlight live on whatever is on screen, and hand the marked-up picture to
/// the people who were there.
#[derive(Parser)]
#[command(version, about)]
pub struct Cli {
    #[command(subcommand)]
    pub command: Command,
}

#[derive(Subcommand)]
pub enum Command {
    /// Serve the lessons in a data folder.
    Serve(Serve),
    /// Set the presenter passphrase, which is asked for whenever other machines can reach the server.
    Passphrase {
        /// The data folder.
        #[arg(long)]
        data: PathBuf,
    },
    /// Copy a data folder, also while it is being served. What is there from the last time is brought
    /// up to date.
    Backup {
        /// The data folder.
        #[arg(long)]
        data: PathBuf,
        /// Where the copy goes; can be served as it is.
        #[arg(long)]
        to: PathBuf,
    },
    /// See whether all that a data folder holds is there and whole. Nothing is changed.
    Verify {
        /// The data folder, or a backup of one.
        #[arg(long)]
        data: PathBuf,
    },
    /// Read and draw files, as the server tells it; the server starts this by itself.
    #[command(hide = true)]
    Render,
    /// Write the manual pages and the completions for shells, for a release.
    #[command(hide = true)]
    Manual {
        /// The folder that they are written to.
        #[arg(long)]
        to: PathBuf,
    },
    /// Fill a data folder with made-up lessons to try everything with.
    DemoData {
        /// The data folder; must be new or empty.
        #[arg(long)]
        data: PathBuf,
    },
}

#[derive(Args)]
pub struct Serve {
    /// Where lessons, captures and settings are kept; made if it is not there.
    #[arg(long)]
    pub data: PathBuf,
    /// Address and port to listen on. Any but this machine's own (127.0.0.1) needs a passphrase.
    #[arg(long, default_value = "127.0.0.1:7070")]
    pub listen: SocketAddr,
    /// If the port is taken, take the next free one.
    #[arg(long)]
    pub next_free: bool,
    /// A certificate (PEM); browsers give clipboard and camera only to secure addresses.
    #[arg(long, requires = "tls_key", conflicts_with = "tls_self_signed")]
    pub tls_cert: Option<PathBuf>,
    /// The certificate's private key (PEM).
    #[arg(long, requires = "tls_cert")]
    pub tls_key: Option<PathBuf>,
    /// Serve with a certificate of its own making; browsers will ask once whether to trust it.
    #[arg(long)]
    pub tls_self_signed: bool,
    /// The address of a proxy that passes requests on, and whose word is taken on whom they come
    /// from. A passphrase is asked for then, whatever the server listens on.
    #[arg(long, value_name = "ADDRESS")]
    pub behind_proxy: Vec<IpAddr>,
    /// Let pages be framed from addresses of the server's own network as well.
    #[arg(long)]
    pub private_addresses: bool,
    /// How much the data folder may hold, in GB; what is beyond that is refused, but for marks.
    #[arg(long, value_name = "GB")]
    pub quota: Option<f64>,
    /// Write each capture into this folder as well, for a program that takes it elsewhere.
    #[arg(long, value_name = "DIR")]
    pub also_save: Option<PathBuf>,
}

/// Writes a manual page for each command into `to/man1`, and completions into `to/completions`.
///
/// # Errors
/// When the folder cannot be written to.
pub fn write_manual(to: &Path) -> anyhow::Result<()> {
    let (man, completions) = (to.join("man1"), to.join("completions"));
    fs::create_dir_all(&man)?;
    fs::create_dir_all(&completions)?;
    let mut command = Cli::command().disable_help_subcommand(true);
    for shell in [Shell::Bash, Shell::Zsh, Shell::Fish] {
        clap_complete::generate_to(shell, &mut command, "bozzetto", &completions)?;
    }
    clap_mangen::generate_to(command, &man)?;
    Ok(())
}
