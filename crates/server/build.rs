//! The web client is embedded from `web/dist`; without a build there is nothing to embed but the folder.

fn main() {
    let folder = "../../web/dist";
    println!("cargo:rerun-if-changed={folder}");
    if let Err(e) = std::fs::create_dir_all(folder) {
        println!("cargo:warning=the folder of the web client can't be made: {e}");
    }
}
