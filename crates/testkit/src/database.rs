//! A database of its own for each test.

use diesel::sql_types::Text;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl, SimpleAsyncConnection};

#[derive(diesel::QueryableByName)]
struct Row {
    #[diesel(sql_type = Text)]
    told: String,
}

pub struct Database {
    pub url: String,
}

impl Database {
    /// Makes an empty database. It is left behind; the test server's folder goes with the run.
    pub async fn fresh() -> Database {
        let server = std::env::var("HOVREL_TEST_DATABASE_URL").expect("HOVREL_TEST_DATABASE_URL is set by ./test");
        Database::fresh_at(&server).await
    }

    /// The same, at another server.
    pub async fn fresh_at(server: &str) -> Database {
        let name = format!("t_{}", uuid::Uuid::new_v4().simple());
        let mut connection = AsyncPgConnection::establish(server).await.expect("the test server answers");
        connection.batch_execute(&format!("create database {name}")).await.expect("a database can be made");
        let (base, _) = server.rsplit_once('/').expect("the address names a database");
        Database { url: format!("{base}/{name}") }
    }

    /// Does something that no part of Hovrel does.
    pub async fn change(&self, commands: &str) {
        let mut connection = AsyncPgConnection::establish(&self.url).await.expect("the test server answers");
        connection.batch_execute(commands).await.expect("the commands are right");
    }

    /// What a query finds, whose one column is the text `told`.
    pub async fn ask(&self, query: &str) -> Vec<String> {
        let mut connection = AsyncPgConnection::establish(&self.url).await.expect("the test server answers");
        let rows: Vec<Row> = diesel::sql_query(query).load(&mut connection).await.expect("the query is one");
        rows.into_iter().map(|row| row.told).collect()
    }
}
