//! The pages of the simulated systems, as a person has them in a browser.

/// Saves fields of an item at its page.
pub async fn save_page(address: &str, fields: &[(&str, &str)]) {
    let body = url::form_urlencoded::Serializer::new(String::new()).extend_pairs(fields).finish();
    let request = reqwest::Client::new().post(address).body(body);
    let request = request.header("content-type", "application/x-www-form-urlencoded");
    let answer = request.send().await.expect("the page answers");
    assert!(answer.status().is_success(), "{}", answer.status());
}

/// What an item's page shows, with what stands in its fields as it is written.
pub async fn page_source(address: &str) -> String {
    let answer = reqwest::get(address).await.expect("the page answers");
    let page = answer.text().await.expect("a page");
    page.replace("&lt;", "<").replace("&gt;", ">").replace("&quot;", "\"").replace("&amp;", "&")
}
