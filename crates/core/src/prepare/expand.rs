//! Calls of shared steps: kept where the other end can, expanded in place where it can't.
//!
//! Decides which calls are expanded, binds their arguments, and never follows a circle: shared steps that
//! lead back to themselves are found first, and such a call becomes text. Expanding comes before
//! comparing, so a change inside shared steps shows at every case that had them expanded.

use std::collections::{HashMap, HashSet};

use crate::carry::call_text;
use crate::catalogue::Calls;
use crate::loss::{Loss, LossCause, LossKind};
use crate::model::{Argument, Artefact, Block, Call, Document, Expanded, Inline, Step, Value};

/// Shared steps by id.
pub type Shared<'a> = HashMap<&'a str, &'a Artefact>;

/// Ids of shared steps so that what is called comes before what calls it. Those in a circle come last, in
/// the order given.
pub fn call_order(shared: &[&Artefact]) -> Vec<String> {
    let by_id: Shared<'_> = shared.iter().map(|a| (a.id.as_str(), *a)).collect();
    let mut done: HashSet<&str> = HashSet::new();
    let mut out = Vec::new();
    loop {
        let before = out.len();
        for artefact in shared {
            let ready = callees(artefact).all(|c| done.contains(c) || !by_id.contains_key(c));
            if ready && done.insert(&artefact.id) {
                out.push(artefact.id.clone());
            }
        }
        if out.len() == before {
            break;
        }
    }
    out.extend(shared.iter().filter(|a| !done.contains(a.id.as_str())).map(|a| a.id.clone()));
    out
}

fn callees(artefact: &Artefact) -> impl Iterator<Item = &str> {
    let steps = artefact.fields.iter().filter_map(|(_, v)| if let Value::Steps(s) = v { Some(s) } else { None });
    steps.flatten().filter_map(|s| Some(s.call.as_ref()?.target.id()))
}

/// Whether following calls from `from` leads to `to`.
fn leads_to(from: &str, to: &str, shared: &Shared<'_>) -> bool {
    let mut seen = HashSet::new();
    let mut open = vec![from];
    while let Some(at) = open.pop() {
        if at == to {
            return true;
        }
        if seen.insert(at)
            && let Some(artefact) = shared.get(at)
        {
            open.extend(callees(artefact));
        }
    }
    false
}

/// The artefact with every call that `keep` does not allow expanded. What was expanded, and what could not
/// be, is added to what was lost in reading, so that the rule of the field declares it. None if nothing
/// changes.
pub fn expand_calls(artefact: &Artefact, shared: &Shared<'_>, keep: Calls) -> Option<Artefact> {
    callees(artefact).next()?;
    let mut out = artefact.clone();
    let mut changed = false;
    for (field, value) in artefact.fields.iter() {
        let Value::Steps(steps) = value else { continue };
        let mut expander = Expander { shared, keep, field, root: &artefact.id, losses: Vec::new() };
        let (made, expanded) = expander.list(steps);
        if made != *steps {
            changed = true;
            out.expanded.insert((&**field).into(), expanded);
            out.fields.set(field.clone(), Value::Steps(made));
            out.read_losses.append(&mut expander.losses);
        }
    }
    changed.then_some(out)
}

struct Expander<'a> {
    shared: &'a Shared<'a>,
    keep: Calls,
    field: &'a str,
    root: &'a str,
    losses: Vec<Loss>,
}

impl<'a> Expander<'a> {
    /// A list of steps, and what stands in place of which of them.
    fn list(&mut self, list: &[Step]) -> (Vec<Step>, Vec<Expanded>) {
        let (mut out, mut expanded) = (Vec::new(), Vec::new());
        for call in list {
            let steps = self.steps(std::slice::from_ref(call), &[], &mut Vec::new());
            if steps != std::slice::from_ref(call) {
                expanded.push(Expanded { at: out.len(), call: call.clone(), steps: steps.clone() });
            }
            out.extend(steps);
        }
        (out, expanded)
    }

    fn steps(&mut self, list: &[Step], bound: &[Argument], line: &mut Vec<&'a str>) -> Vec<Step> {
        let mut out = Vec::new();
        for step in list {
            match &step.call {
                None => out.push(bind(step, bound)),
                Some(call) => self.call(&bind(step, bound), &bind_call(call, bound), line, &mut out),
            }
        }
        out
    }

    fn call(&mut self, step: &Step, call: &Call, line: &mut Vec<&'a str>, out: &mut Vec<Step>) {
        let id = call.target.id();
        let found = self.shared.get_key_value(id).map(|(id, a)| (*id, *a));
        let Some((id, target)) = found else {
            return self.as_text(step, call, None, LossCause::CallOfNothing, out);
        };
        let circle = id == self.root || line.contains(&id) || callees_lead_back(id, self.root, self.shared);
        if circle {
            return self.as_text(step, call, Some(&target.title), LossCause::CallCycle, out);
        }
        let kept = match self.keep {
            Calls::WithArguments => true,
            Calls::Plain => call.arguments.is_empty(),
            Calls::None => false,
        };
        if kept {
            let mut step = step.clone();
            step.call = Some(call.clone());
            out.push(step);
            return;
        }
        self.lose(LossCause::CallExpanded, &call_text(call, Some(&target.title)));
        // What the step says itself comes before what it calls.
        if step.says_something() {
            out.push(Step { call: None, ..step.clone() });
        }
        line.push(id);
        for (_, value) in target.fields.iter() {
            if let Value::Steps(steps) = value {
                out.extend(self.steps(steps, &call.arguments, line));
            }
        }
        line.pop();
    }

    fn as_text(&mut self, step: &Step, call: &Call, title: Option<&str>, cause: LossCause, out: &mut Vec<Step>) {
        let text = call_text(call, title);
        self.lose(cause, &text);
        let mut step = Step { call: None, ..step.clone() };
        step.action.blocks.insert(0, Block::Paragraph { content: vec![Inline::text(text)] });
        out.push(step);
    }

    fn lose(&mut self, cause: LossCause, text: &str) {
        self.losses.push(Loss {
            field: self.field.into(),
            kind: LossKind::Flattened,
            cause,
            before: text.to_owned(),
            after: text.to_owned(),
        });
    }
}

/// Whether shared steps lead back to themselves or to where the expansion began.
fn callees_lead_back(id: &str, root: &str, shared: &Shared<'_>) -> bool {
    shared.get(id).is_some_and(|a| callees(a).any(|c| leads_to(c, id, shared) || c == root))
}

fn bind_call(call: &Call, bound: &[Argument]) -> Call {
    // An argument may hold a parameter of the caller.
    let value = |given: &Document| given.with_parameters(bound);
    let arguments = call.arguments.iter().map(|a| Argument { name: a.name.clone(), value: value(&a.value) });
    Call { target: call.target.clone(), arguments: arguments.collect() }
}

fn bind(step: &Step, bound: &[Argument]) -> Step {
    if bound.is_empty() {
        return step.clone();
    }
    let part = |d: &Document| d.with_parameters(bound);
    Step { action: part(&step.action), expected: part(&step.expected), data: part(&step.data), ..step.clone() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::{Fields, Kind, Reference};

    fn shared(id: &str, steps: Vec<Step>) -> Artefact {
        let mut fields = Fields::default();
        fields.set("steps", Value::Steps(steps));
        Artefact { fields, title: format!("Do {id}"), ..Artefact::bare(Kind::SharedSteps, id) }
    }

    fn says(text: &str) -> Step {
        Step { action: Document::from_text(text), ..Step::default() }
    }

    /// Arguments that begin with a colon are parameters of the caller.
    fn calls(id: &str, arguments: &[(&str, &str)]) -> Step {
        let value = |v: &str| match v.strip_prefix(':') {
            Some(name) => parameter("", name),
            None => Document::from_text(v),
        };
        let argument = |(name, v): &(&str, &str)| Argument { name: (*name).into(), value: value(v) };
        let call = Call { target: Reference::known(id), arguments: arguments.iter().map(argument).collect() };
        Step { call: Some(call), ..Step::default() }
    }

    fn parameter(before: &str, name: &str) -> Document {
        let content = vec![Inline::text(before), Inline::Parameter { name: name.into() }];
        Document { blocks: vec![Block::Paragraph { content }] }.normal()
    }

    fn lines(a: &Artefact) -> Vec<String> {
        let Some(Value::Steps(steps)) = a.fields.get("steps") else { return Vec::new() };
        steps.iter().map(Step::plain).collect()
    }

    #[test]
    fn nested_calls_are_expanded_with_their_arguments_bound() {
        let inner = shared("run", vec![Step { action: parameter("Run at ", "speed"), ..Step::default() }]);
        let outer = shared("start", vec![says("Unlock"), calls("run", &[("speed", ":pace")])]);
        let case = shared("case", vec![calls("start", &[("pace", "5 m/s")]), says("Stop")]);
        let all: Shared<'_> = [("run", &inner), ("start", &outer)].into();
        let found = expand_calls(&case, &all, Calls::None).expect("it changes");
        assert_eq!(lines(&found), ["Unlock", "Run at 5 m/s", "Stop"]);
        assert_eq!(found.read_losses.len(), 2, "each call that was expanded is declared");
        assert_eq!(expand_calls(&case, &all, Calls::WithArguments), None, "a target with arguments keeps it");
        // A target without arguments keeps calls that have none.
        let plain = shared("plain", vec![calls("start", &[])]);
        assert_eq!(expand_calls(&plain, &all, Calls::Plain), None);
    }

    /// A step that calls others and says something itself keeps its words, wherever the call goes, with the arguments
    /// of the caller in them.
    #[test]
    fn a_step_that_calls_keeps_its_own_words() {
        let run = shared("run", vec![says("Run")]);
        let own = Step {
            action: parameter("Warn the crew at ", "tower"),
            expected: Document::from_text("They answer"),
            data: Document::from_text("Channel 4"),
            attachments: vec!["map.png".into()],
            ..calls("run", &[])
        };
        let outer = shared("outer", vec![own, calls("gone", &[])]);
        let case = shared("case", vec![calls("outer", &[("tower", "9")])]);
        let all: Shared<'_> = [("run", &run), ("outer", &outer)].into();
        let found = expand_calls(&case, &all, Calls::None).expect("it changes");
        assert_eq!(lines(&found), ["Warn the crew at 9 → They answer → Channel 4", "Run", "gone"]);
        let Some(Value::Steps(steps)) = found.fields.get("steps") else { panic!("steps") };
        assert_eq!(steps[0].attachments, ["map.png"]);
        let circle = shared("case", vec![Step { action: Document::from_text("Twice"), ..calls("case", &[]) }]);
        let all: Shared<'_> = [("case", &circle)].into();
        let found = expand_calls(&circle, &all, Calls::None).expect("it changes");
        assert_eq!(lines(&found), ["Do case (case) Twice"]);
    }

    #[test]
    fn a_circle_of_calls_is_reported_and_not_followed() {
        let (a, b) = (shared("a", vec![says("A"), calls("b", &[])]), shared("b", vec![calls("a", &[])]));
        let all: Shared<'_> = [("a", &a), ("b", &b)].into();
        let case = shared("case", vec![calls("a", &[]), says("End")]);
        for keep in [Calls::None, Calls::Plain, Calls::WithArguments] {
            let found = expand_calls(&case, &all, keep).expect("it changes");
            assert_eq!(lines(&found), ["Do a (a)", "End"]);
            assert_eq!(found.read_losses[0].cause, LossCause::CallCycle);
            assert!(expand_calls(&a, &all, keep).is_some_and(|a| callees(&a).next().is_none()));
        }
        let nothing = shared("case", vec![calls("gone", &[("x", "1")])]);
        let found = expand_calls(&nothing, &all, Calls::WithArguments).expect("it changes");
        assert_eq!(lines(&found), ["gone, x: 1"]);
    }

    #[test]
    fn what_is_called_comes_first() {
        let (a, b) = (shared("a", vec![calls("b", &[])]), shared("b", vec![]));
        let (c, d) = (shared("c", vec![calls("d", &[])]), shared("d", vec![calls("c", &[])]));
        assert_eq!(call_order(&[&a, &c, &b, &d]), ["b", "a", "c", "d"]);
    }
}
