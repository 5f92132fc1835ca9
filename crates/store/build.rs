//! The migrations are compiled in: a new one is a reason to compile again.

fn main() {
    println!("cargo::rerun-if-changed=migrations");
}
