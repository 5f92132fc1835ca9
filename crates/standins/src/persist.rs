//! A stand-in's storage: one JSON document and a folder of files, written behind the calls.
//!
//! Good enough for a simulation: what was answered is on disk a moment later; a crash of the stand-in
//! itself may lose the last half second.

use std::collections::HashMap;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, MutexGuard};

use serde::Serialize;
use serde::de::DeserializeOwned;
use sha2::{Digest, Sha256};

/// State kept in memory and, given a folder, on disk.
pub struct Kept<S> {
    state: Arc<Mutex<S>>,
    dirty: Arc<tokio::sync::Notify>,
}

impl<S> Clone for Kept<S> {
    fn clone(&self) -> Self {
        Kept { state: self.state.clone(), dirty: self.dirty.clone() }
    }
}

impl<S: Serialize + DeserializeOwned + Send + 'static> Kept<S> {
    /// Opens `folder`/`name`.json, or begins with `fresh`.
    pub fn open(folder: Option<PathBuf>, name: &str, fresh: impl FnOnce() -> S) -> std::io::Result<Kept<S>> {
        let path = folder.as_ref().map(|f| f.join(format!("{name}.json")));
        let state = match path.as_ref().filter(|p| p.exists()) {
            Some(path) => serde_json::from_slice(&std::fs::read(path)?)?,
            None => fresh(),
        };
        let kept = Kept { state: Arc::new(Mutex::new(state)), dirty: Arc::new(tokio::sync::Notify::new()) };
        if let (Some(folder), Some(path)) = (folder, path) {
            std::fs::create_dir_all(folder)?;
            let (state, dirty) = (kept.state.clone(), kept.dirty.clone());
            dirty.notify_one();
            tokio::spawn(async move {
                loop {
                    dirty.notified().await;
                    tokio::time::sleep(std::time::Duration::from_millis(300)).await;
                    let bytes = serde_json::to_vec(&*state.lock().unwrap_or_else(|e| e.into_inner()));
                    let next = path.with_extension("json.next");
                    let path = path.clone();
                    let written = tokio::task::spawn_blocking(move || {
                        std::fs::write(&next, bytes?)?;
                        std::fs::rename(next, path)
                    });
                    if let Ok(Err(e)) = written.await {
                        tracing::error!("could not keep a stand-in's state: {e}");
                    }
                }
            });
        }
        Ok(kept)
    }

    pub fn read(&self) -> MutexGuard<'_, S> {
        self.state.lock().unwrap_or_else(|e| e.into_inner())
    }

    /// Changes the state as the document that it is kept as.
    ///
    /// # Errors
    /// What came out can't be read as a state; nothing is changed then.
    pub fn change(&self, how: &mut dyn FnMut(&mut serde_json::Value)) -> Result<(), serde_json::Error> {
        let mut state = self.write();
        let mut document = serde_json::to_value(&*state)?;
        how(&mut document);
        *state = serde_json::from_value(document)?;
        Ok(())
    }

    /// For writing: the state is saved a moment after.
    pub fn write(&self) -> MutexGuard<'_, S> {
        self.dirty.notify_one();
        self.read()
    }
}

/// Bytes of files by SHA-256, kept inside the state as hex so that one document holds everything.
#[derive(Debug, Clone, Default, Serialize, serde::Deserialize)]
pub struct Blobs(HashMap<String, String>);

impl Blobs {
    pub fn put(&mut self, bytes: &[u8]) -> String {
        let digest = hex::encode(Sha256::digest(bytes));
        self.0.entry(digest.clone()).or_insert_with(|| hex::encode(bytes));
        digest
    }

    pub fn get(&self, digest: &str) -> Option<Vec<u8>> {
        hex::decode(self.0.get(digest)?).ok()
    }
}
