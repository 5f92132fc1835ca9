//! Oldstone's content: the whole world.

use super::state::{Case, File, Folder, State};
use crate::world::{self, PEOPLE, Size};

pub fn state(seed: u64, size: Size) -> State {
    let world = world::make(seed, size);
    let mut state = State { next_number: 5000, ..State::default() };
    state.people = PEOPLE.iter().map(|p| (p.login.to_owned(), p.name.to_owned(), p.email.to_owned())).collect();
    for (n, folder) in world.folders.iter().enumerate() {
        let number = n as u32 + 1;
        let parent = folder.parent.map(|p| p as u32 + 1);
        let made = Folder { number, parent, name: folder.name.clone(), revision: 1, origin: String::new() };
        state.folders.insert(number, made);
    }
    for c in world.cases {
        let files = c
            .files
            .iter()
            .map(|f| File {
                name: f.name.clone(),
                media_type: f.media_type.to_owned(),
                bytes: f.bytes.len() as u64,
                digest: state.blobs.put(&f.bytes),
            })
            .collect();
        state.cases.insert(
            c.number,
            Case {
                number: c.number,
                folder: Some(c.folder as u32 + 1),
                revision: 1 + c.number % 9,
                changed: c.changed,
                changed_by: c.changed_by.to_owned(),
                name: c.title,
                description: c.description,
                importance: c.importance.unwrap_or_default(),
                state: c.state.to_owned(),
                brake_class: c.brake_class,
                estimate: c.estimate,
                labels: c.labels.iter().map(|l| (*l).to_owned()).collect(),
                owner: c.owner.unwrap_or_default(),
                origin: String::new(),
                steps: c.steps,
                files,
            },
        );
    }
    state
}
