//! A database of its own for each test.

use diesel_async::{AsyncConnection, AsyncPgConnection, SimpleAsyncConnection};

pub struct Database {
    pub url: String,
}

impl Database {
    /// Makes an empty database. It is left behind; the test server's folder goes with the run.
    pub async fn fresh() -> Database {
        let server = std::env::var("HOVREL_TEST_DATABASE_URL").expect("HOVREL_TEST_DATABASE_URL is set by ./test");
        let name = format!("t_{}", uuid::Uuid::new_v4().simple());
        let mut connection = AsyncPgConnection::establish(&server).await.expect("the test server answers");
        connection.batch_execute(&format!("create database {name}")).await.expect("a database can be made");
        let (base, _) = server.rsplit_once('/').expect("the address names a database");
        Database { url: format!("{base}/{name}") }
    }
}
