//! Files that are sent over slow lines, and to systems that stop taking them.

use std::time::{Duration, Instant};

use axum::body::Body;
use bytes::Bytes;
use futures::StreamExt;
use hovrel_connect::{ByteStream, ConnectError, Connector, Credentials, HttpConnector, profile};
use hovrel_core::bounds::LONGEST_FILE_SILENCE;
use hovrel_core::model::{Attachment, Kind};
use hovrel_testkit::saltmere::{self, Habits};

use crate::{anywhere, serve};

const PART: usize = 64 * 1024;
/// More than what the system's and Hovrel's own buffers take in one go.
const PARTS: usize = 400;

fn file() -> (Attachment, ByteStream) {
    let bytes = Some((PART * PARTS) as u64);
    let file =
        Attachment { name: "log.bin".into(), media_type: "application/octet-stream".into(), bytes, digest: None };
    let parts = (0..PARTS).map(|n| Ok(Bytes::from(vec![n as u8; PART])));
    (file, futures::stream::iter(parts).boxed())
}

/// A system that takes so much of what is sent to it, and no more than so many bytes a second.
async fn taking(most: usize, per_second: usize) -> HttpConnector {
    let take = async move |body: Body| {
        let (mut taken, begun) = (0, Instant::now());
        let mut parts = body.into_data_stream();
        while let Some(Ok(part)) = parts.next().await {
            taken += part.len();
            if taken > most {
                std::future::pending::<()>().await;
            }
            let due = Duration::from_secs_f64(taken as f64 / per_second as f64);
            tokio::time::sleep(due.saturating_sub(begun.elapsed())).await;
        }
        axum::http::StatusCode::NO_CONTENT
    };
    let address = serve(axum::Router::new().fallback(take)).await;
    let described = profile::parse("saltmere.yaml", &saltmere::profile(Habits::default(), false)).expect("a profile");
    let asked = Credentials([("key".to_owned(), saltmere::KEY.to_owned())].into());
    HttpConnector::new(described, &address, asked, &anywhere()).expect("an address")
}

/// A file for which a line needs longer than any other call may take.
#[tokio::test]
async fn a_file_over_a_slow_line_arrives() {
    let connector = taking(usize::MAX, PART * PARTS / 34).await;
    let (file, bytes) = file();
    let begun = Instant::now();
    connector.put_attachment(Kind::TestCase, "1", &file, bytes).await.expect("it arrives");
    assert!(begun.elapsed() > Duration::from_secs(31), "the line was not slow: {:?}", begun.elapsed());
}

#[tokio::test]
async fn a_system_that_takes_no_more_of_a_file_is_given_up() {
    let connector = taking(PART, usize::MAX).await;
    let (file, bytes) = file();
    let sent = connector.put_attachment(Kind::TestCase, "1", &file, bytes);
    let sent = tokio::time::timeout(LONGEST_FILE_SILENCE * 2, sent).await.expect("it takes an end");
    // By Hovrel or by its host, whichever is the first to see that nothing goes on. Nobody knows what the system made of
    // the part that it has.
    assert!(matches!(&sent, Err(ConnectError::Unknown { .. })), "{sent:?}");
}
