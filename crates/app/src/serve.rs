//! `kindred-shell serve` and `demo`: the server on 127.0.0.1.

use std::net::{Ipv4Addr, SocketAddr};
use std::process::ExitCode;
use std::time::Duration;

use clap::Args;
use store::Store;
use tokio::net::TcpListener;

use crate::state::AppState;
use crate::{demo, routes};

#[derive(Args)]
pub struct ServeArguments {
    /// Port on 127.0.0.1; 0 takes a free one.
    #[arg(long, default_value_t = 8437)]
    port: u16,
    /// PostgreSQL address.
    #[arg(long, env = "DATABASE_URL")]
    database_url: String,
}

pub fn run(arguments: ServeArguments, with_demo: bool) -> ExitCode {
    let filter = tracing_subscriber::EnvFilter::try_from_default_env()
        .unwrap_or_else(|_| tracing_subscriber::EnvFilter::new("warn,kindred_shell=info"));
    tracing_subscriber::fmt().with_env_filter(filter).with_writer(std::io::stderr).init();
    let done = tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        .build()
        .map_err(|e| e.to_string())
        .and_then(|runtime| runtime.block_on(serve(arguments, with_demo)));
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(message) => {
            eprintln!("{message}");
            ExitCode::FAILURE
        }
    }
}

async fn serve(arguments: ServeArguments, with_demo: bool) -> Result<(), String> {
    let store = Store::open(&arguments.database_url).await.map_err(|e| e.to_string())?;
    if with_demo {
        demo::load(&store).await.map_err(|e| e.to_string())?;
    }
    let state = AppState::new(store);
    tokio::spawn(hear_changes(state.clone()));
    let address = SocketAddr::from((Ipv4Addr::LOCALHOST, arguments.port));
    let listener = TcpListener::bind(address)
        .await
        .map_err(|e| format!("{address} is not free ({e}); choose another with --port"))?;
    let address = listener.local_addr().map_err(|e| e.to_string())?;
    println!("Kindred Shell is ready: http://{address}/  (Ctrl-C stops it)");
    axum::serve(listener, routes::router(state))
        .with_graceful_shutdown(stop_asked())
        .await
        .map_err(|e| e.to_string())
}

/// Passes the database's notices on to this process's pages, and starts again when the connection breaks.
async fn hear_changes(state: AppState) {
    loop {
        let changes = state.changes.clone();
        // Nobody listening is no fault: then no page is open.
        let tell = move |change| {
            let _ = changes.send(change);
        };
        let heard = state.store.listen(tell).await;
        if let Err(error) = heard {
            tracing::warn!(%error, "listening for changes broke off");
        }
        tokio::time::sleep(Duration::from_secs(1)).await;
    }
}

async fn stop_asked() {
    let interrupt = tokio::signal::ctrl_c();
    let Ok(mut terminate) = tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate()) else {
        let _ = interrupt.await;
        return;
    };
    tokio::select! {
        _ = interrupt => {}
        _ = terminate.recv() => {}
    }
    // Open pages keep their sockets; they must not keep the server.
    tokio::spawn(async {
        tokio::time::sleep(Duration::from_secs(2)).await;
        std::process::exit(0);
    });
}
