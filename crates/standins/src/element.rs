//! XML as a tree of elements: what is small enough to be looked at whole.

use quick_xml::events::Event;

/// An element with its attributes, text and children.
#[derive(Debug, Default)]
pub struct Element {
    pub name: String,
    pub attributes: Vec<(String, String)>,
    pub text: String,
    pub children: Vec<Element>,
}

impl Element {
    pub fn child(&self, name: &str) -> Option<&Element> {
        self.children.iter().find(|c| c.name == name)
    }

    pub fn text_of(&self, name: &str) -> Option<String> {
        self.child(name).map(|c| c.text.clone())
    }

    pub fn attribute(&self, name: &str) -> Option<&str> {
        self.attributes.iter().find(|(n, _)| n == name).map(|(_, v)| v.as_str())
    }

    /// Elements of a name at any depth, in their order.
    pub fn all<'e>(&'e self, name: &str) -> Vec<&'e Element> {
        let inside = self.children.iter().flat_map(|c| c.all(name));
        std::iter::once(self).filter(|e| e.name == name).chain(inside).collect()
    }
}

/// Reads a whole document; says what is wrong with a malformed one.
pub fn parse(text: &str) -> Result<Element, String> {
    parse_with(text, "")
}

/// The same; what stands in elements called `whole` is kept as it is written, as their text.
pub fn parse_with(text: &str, whole: &str) -> Result<Element, String> {
    let mut reader = quick_xml::Reader::from_str(text);
    let mut stack = vec![Element::default()];
    let open = |e: &quick_xml::events::BytesStart<'_>| -> Result<Element, String> {
        let mut element = Element { name: e.name().as_ref().to_owned(), ..Element::default() };
        for a in e.attributes() {
            let a = a.map_err(|e| e.to_string())?;
            let value = quick_xml::escape::unescape(&a.value).map_err(|e| e.to_string())?.into_owned();
            element.attributes.push((a.key.as_ref().to_owned(), value));
        }
        Ok(element)
    };
    loop {
        match reader.read_event().map_err(|e| e.to_string())? {
            Event::Start(e) if !whole.is_empty() && e.name().as_ref() == whole => {
                let mut element = open(&e)?;
                element.text = reader.read_text(e.name()).map_err(|e| e.to_string())?.to_string();
                stack.last_mut().ok_or("no element is open")?.children.push(element);
            }
            Event::Start(e) => stack.push(open(&e)?),
            Event::Empty(e) => {
                let element = open(&e)?;
                stack.last_mut().ok_or("no element is open")?.children.push(element);
            }
            Event::End(_) => {
                let element = stack.pop().ok_or("an element ends that was not begun")?;
                stack.last_mut().ok_or("an element ends that was not begun")?.children.push(element);
            }
            Event::Text(t) => {
                stack.last_mut().ok_or("text outside")?.text.push_str(&t);
            }
            Event::CData(t) => stack.last_mut().ok_or("text outside")?.text.push_str(&t),
            Event::GeneralRef(r) => {
                let text = quick_xml::escape::unescape(&format!("&{};", &*r)).map_err(|e| e.to_string())?.into_owned();
                stack.last_mut().ok_or("text outside")?.text.push_str(&text);
            }
            Event::Eof => break,
            _ => {}
        }
    }
    let mut root = stack.pop().filter(|_| stack.is_empty()).ok_or("the document is not closed")?;
    root.children.pop().ok_or_else(|| "the document is empty".to_owned())
}
