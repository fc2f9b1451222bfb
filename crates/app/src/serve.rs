//! `kindred-shell serve` and `demo`: the server on 127.0.0.1.

use std::net::{Ipv4Addr, SocketAddr};
use std::process::ExitCode;
use std::sync::Arc;
use std::time::Duration;

use axum::Router;
use clap::Args;
use hyper_util::rt::{TokioExecutor, TokioIo, TokioTimer};
use hyper_util::server::conn::auto;
use hyper_util::server::graceful::GracefulShutdown;
use hyper_util::service::TowerToHyperService;
use store::{Heard, Store};
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::Semaphore;
use tokio_io_timeout::TimeoutStream;

use crate::budget::BudgetArguments;
use crate::state::AppState;
use crate::{demo, kept, routes};

/// Connections at a time; further ones wait until one ends.
const MOST_CONNECTIONS: usize = 768;
/// For the head of a request to arrive, and for a connection that is kept to be used again.
const HEAD_TIME: Duration = Duration::from_secs(20);
/// For the other side to take anything of an answer.
const WRITE_TIME: Duration = Duration::from_secs(30);
/// For the other side to say anything at all; longer than the longest work, and than the pings of live channels.
const READ_TIME: Duration = Duration::from_secs(900);
/// For what is under way when the server is stopped.
const LAST_WORK: Duration = Duration::from_secs(2);
/// Between two cleanings of the store.
const CLEANING: Duration = Duration::from_secs(3600);

#[derive(Args)]
pub struct ServeArguments {
    /// Port on 127.0.0.1; 0 takes a free one.
    #[arg(long, default_value_t = 8437)]
    port: u16,
    /// PostgreSQL address.
    #[arg(long, env = "DATABASE_URL")]
    database_url: String,
    #[command(flatten)]
    budget: BudgetArguments,
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
    // Read before anybody asks: it takes a moment.
    tokio::task::spawn_blocking(kept::program).await.map_err(|e| e.to_string())?;
    let state = AppState::new(store, arguments.budget.budget());
    tokio::spawn(hear_changes(state.clone()));
    tokio::spawn(clean_up(state.store.clone()));
    let address = SocketAddr::from((Ipv4Addr::LOCALHOST, arguments.port));
    let listener = TcpListener::bind(address)
        .await
        .map_err(|e| format!("{address} is not free ({e}); choose another with --port"))?;
    let address = listener.local_addr().map_err(|e| e.to_string())?;
    println!("Kindred Shell is ready: http://{address}/  (Ctrl-C stops it)");
    answer(listener, routes::router(state)).await;
    Ok(())
}

/// Answers connections until the program is asked to stop.
async fn answer(listener: TcpListener, router: Router) {
    let places = Arc::new(Semaphore::new(MOST_CONNECTIONS));
    let under_way = GracefulShutdown::new();
    let stop = stop_asked();
    tokio::pin!(stop);
    loop {
        let next = async {
            let place = Arc::clone(&places).acquire_owned().await;
            (place, listener.accept().await)
        };
        let (place, stream) = tokio::select! {
            (place, accepted) = next => match accepted {
                Ok((stream, _)) => (place, stream),
                Err(error) => {
                    // Out of file handles, say: what is open must end first.
                    tracing::warn!(%error, "a connection could not be taken");
                    tokio::time::sleep(Duration::from_millis(100)).await;
                    continue;
                }
            },
            () = &mut stop => break,
        };
        let (router, watcher) = (router.clone(), under_way.watcher());
        tokio::spawn(async move {
            let _place = place;
            // The protocol's own time-out begins with the first byte.
            let first = tokio::time::timeout(HEAD_TIME, stream.peek(&mut [0])).await;
            if !matches!(first, Ok(Ok(1))) {
                return;
            }
            let mut builder = auto::Builder::new(TokioExecutor::new()).http1_only();
            builder.http1().timer(TokioTimer::new()).header_read_timeout(HEAD_TIME);
            let stream = TokioIo::new(Box::pin(timed(stream)));
            let connection =
                builder.serve_connection_with_upgrades(stream, TowerToHyperService::new(router)).into_owned();
            // A connection that breaks, or is too slow, ends; that is all there is to say of it.
            let _ = watcher.watch(connection).await;
        });
    }
    drop(listener);
    // Open pages keep their sockets; they must not keep the server.
    let _ = tokio::time::timeout(LAST_WORK, under_way.shutdown()).await;
}

fn timed(stream: TcpStream) -> TimeoutStream<TcpStream> {
    // Small answers go out at once.
    let _ = stream.set_nodelay(true);
    let mut stream = TimeoutStream::new(stream);
    stream.set_write_timeout(Some(WRITE_TIME));
    stream.set_read_timeout(Some(READ_TIME));
    stream
}

/// Passes the database's notices on to this process's pages, and starts again when the connection breaks.
async fn hear_changes(state: AppState) {
    loop {
        let changes = state.changes.clone();
        // Nobody listening is no fault: then no page is open.
        let tell = move |heard: Heard| {
            let _ = changes.send(heard);
        };
        if let Err(error) = state.store.listen(tell).await {
            tracing::warn!(%error, "listening for changes broke off");
        }
        tokio::time::sleep(Duration::from_secs(1)).await;
    }
}

async fn clean_up(store: Store) {
    loop {
        tokio::time::sleep(CLEANING).await;
        if let Err(error) = store.forget_requests().await {
            tracing::warn!(%error, "old idempotency keys stay for now");
        }
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
}
