//! Connections: taken in, given a time, and let go.
//!
//! Decides how many there are at once and how long a request may take to come in, so that half-sent ones can't hold the
//! places of others.

use std::net::{IpAddr, SocketAddr};
use std::sync::Arc;
use std::time::Duration;

use axum::Router;
use hyper::body::Incoming;
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::service::TowerToHyperService;
use tokio::net::TcpListener;
use tokio::sync::Semaphore;
use tokio_util::sync::CancellationToken;
use tower::ServiceExt;

/// Connections at once; more wait to be taken in.
const MOST_CONNECTIONS: usize = 1_000;
/// The head of a request comes whole within this time.
const HEAD_WITHIN: Duration = Duration::from_secs(15);

/// Who is at the other end of a connection.
#[derive(Debug, Clone, Copy)]
pub struct Peer(pub IpAddr);

/// Answers until told to end; then no more is taken in, and what is answered just now is.
pub async fn serve(listener: TcpListener, router: Router, end: CancellationToken) {
    let places = Arc::new(Semaphore::new(MOST_CONNECTIONS));
    loop {
        let Ok(place) = places.clone().acquire_owned().await else { return };
        let taken = tokio::select! {
            taken = listener.accept() => taken,
            () = end.cancelled() => return,
        };
        let Ok((stream, from)) = taken else {
            // Too many open files, say: others may let go of some.
            tokio::time::sleep(Duration::from_millis(100)).await;
            continue;
        };
        let (router, end) = (router.clone(), end.clone());
        tokio::spawn(async move {
            let _place = place;
            let _ = stream.set_nodelay(true);
            connection(stream, from, router, end).await;
        });
    }
}

async fn connection(stream: tokio::net::TcpStream, from: SocketAddr, router: Router, end: CancellationToken) {
    let service = router.map_request(move |mut request: hyper::Request<Incoming>| {
        request.extensions_mut().insert(Peer(from.ip()));
        request.map(axum::body::Body::new)
    });
    let mut builder = hyper::server::conn::http1::Builder::new();
    builder.timer(TokioTimer::new()).header_read_timeout(HEAD_WITHIN);
    let connection = builder.serve_connection(TokioIo::new(stream), TowerToHyperService::new(service));
    let mut connection = std::pin::pin!(connection.with_upgrades());
    tokio::select! {
        // A connection that breaks is the other end's affair.
        _ = connection.as_mut() => {}
        () = end.cancelled() => {
            connection.as_mut().graceful_shutdown();
            let _ = connection.await;
        }
    }
}
