//! The real interface in headless Chromium, driven by Playwright: see web/e2e.

use std::process::Command;

use crate::program::Program;
use hovrel_standins::world::Size;
use hovrel_testkit::Systems;

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_person_in_the_browser() {
    let both = Systems::start(Size::SMALL).await;
    let program = Program::start_with_presets(&both).await;
    let web = concat!(env!("CARGO_MANIFEST_DIR"), "/../../web");
    let mut command = Command::new("npx");
    command
        .args(["playwright", "test"])
        .current_dir(web)
        .env("HOVREL_ADDRESS", &program.address)
        .env("OLDSTONE", both.oldstone.url())
        .env("TALLYBENCH", both.tallybench.url())
        .env("FERNWAY", both.fernway.url())
        .env("REQMOOR", both.reqmoor.url());
    let output =
        tokio::task::spawn_blocking(move || command.output()).await.expect("it ran").expect("Playwright starts");
    let told = String::from_utf8_lossy(&output.stdout);
    assert!(output.status.success(), "{told}{}", String::from_utf8_lossy(&output.stderr));
    assert!(told.contains("4 passed"), "every walk ran: {told}");
}
