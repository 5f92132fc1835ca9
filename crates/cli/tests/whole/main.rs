//! The real program as a whole: through its API, and through the browser.

mod between;
mod both_sides;
mod both_ways;
mod both_ways_members;
mod both_ways_shared;
mod both_ways_texts;
mod browser;
mod command_line;
mod conflicts;
mod demo;
mod evidence;
mod habits;
mod journey;
mod kept;
mod kills;
mod lanes;
mod meanwhile;
mod numbers;
mod pairs;
mod pictures;
mod program;
mod retention;
mod routes;
mod trouble;
mod wide;
