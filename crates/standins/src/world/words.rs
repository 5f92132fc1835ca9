//! The words of the invented world.

pub struct Person {
    pub login: &'static str,
    pub name: &'static str,
    pub email: &'static str,
}

const fn person(login: &'static str, name: &'static str, email: &'static str) -> Person {
    Person { login, name, email }
}

/// People of the ropeway. Two have one name; `tormod`, who left, is not among them.
pub const PEOPLE: &[Person] = &[
    person("ibrekke", "Ida Brekke", "ida.brekke@skarnvik.example"),
    person("plunde", "Per Lunde", "per.lunde@skarnvik.example"),
    person("plunde2", "Per Lunde", "per.lunde.gates@skarnvik.example"),
    person("asolvik", "Aino Solvik", "aino.solvik@skarnvik.example"),
    person("mtveit", "Marta Tveit", "marta.tveit@skarnvik.example"),
    person("jfalk", "Jonas Falk", "jonas.falk@skarnvik.example"),
    person("knordal", "Kari Nordal", "kari.nordal@skarnvik.example"),
    person("sgrind", "Sverre Grind", "sverre.grind@skarnvik.example"),
    person("lholm", "Liv Holm", "liv.holm@skarnvik.example"),
    person("oeide", "Oda Eide", "oda.eide@skarnvik.example"),
    person("truud", "Tor Ruud", "tor.ruud@skarnvik.example"),
];

pub const AREAS: &[(&str, &[&str])] = &[
    ("Drive & brakes", &["Emergency stop", "Service brake", "Track brake", "Slack rope"]),
    ("Line & cabins", &["Cabin spacing", "Door locks", "Wind", "Ice on the rope"]),
    ("Gates & tickets", &["Readers", "Pass types", "Turnstiles"]),
    ("Passenger information", &["Displays", "Announcements"]),
    ("Evacuation", &["Rescue drive", "Radio", "Lowering from cabins"]),
];

pub const PLACES: &[&str] = &[
    "at Harbour",
    "at Midway",
    "at Summit",
    "between Harbour and Midway",
    "between Midway and Summit",
    "on the upper section",
    "on the lower section",
    "at tower 4",
    "at tower 11",
];

pub const CONDITIONS: &[&str] = &[
    "empty cabins",
    "full load",
    "half load",
    "wet rope",
    "night mode",
    "first run of the day",
    "after a power dip",
    "with one cabin parked",
    "at reduced speed",
    "in fog",
    "with the spare drive",
    "during shift change",
    "below minus 15",
    "with the deputy at the desk",
    "after a firmware update",
    "with one sensor masked",
];

pub const LABELS: &[&str] = &["winter", "summer", "commissioning", "yearly", "regression", "safety", "comfort"];

pub struct Topic {
    pub area: &'static str,
    pub title: &'static str,
    pub purpose: &'static str,
    pub unit: &'static str,
    pub value: (u32, u32),
    pub steps: &'static [(&'static str, &'static str)],
}

pub const TOPICS: &[Topic] = &[
    Topic {
        area: "Drive & brakes",
        title: "Line stops in time",
        purpose: "The line comes to rest within the limit after a stop is asked for.",
        unit: "{} s",
        value: (6, 12),
        steps: &[
            ("Press the red button at the desk.", "The line is at rest within {} s."),
            ("Read the brake pressure.", "The pressure falls below 8 bar."),
            ("Release the button and acknowledge.", "The desk asks for a <b>reset</b>."),
            ("Try to start without a reset.", "The start is refused with alarm 114."),
        ],
    },
    Topic {
        area: "Drive & brakes",
        title: "Service brake holds loaded line",
        purpose: "The rope does not creep while the service brake alone holds the line.",
        unit: "{} mm",
        value: (15, 40),
        steps: &[
            ("Load the line with ballast and stop it.", "All cabins hang still."),
            ("Mark the rope and wait 10 minutes.", "Rope creep is below {} mm."),
            ("Look at the brake lining.", "No smoke, no smell, wear below the mark."),
        ],
    },
    Topic {
        area: "Line & cabins",
        title: "Wind above limit slows the line",
        purpose: "Wind above the limit for 10 s slows the line, and stops it if it stays.",
        unit: "{} m/s",
        value: (14, 22),
        steps: &[
            ("Feed {} m/s into the wind input for 10 s.", "The line slows to 2 m/s."),
            ("Keep the value for another minute.", "The line stops and the gates close."),
            ("Go back to 5 m/s.", "The line stays at rest until the desk releases it."),
        ],
    },
    Topic {
        area: "Line & cabins",
        title: "Cabin doors stay locked",
        purpose: "No door opens outside a station.",
        unit: "{} N",
        value: (150, 300),
        steps: &[
            ("Pull at the door with {} N.", "The door does not open."),
            ("Let the cabin enter the station.", "The door opens at the yellow mark."),
            ("Hold the door while it closes.", "It opens again and the cabin waits."),
        ],
    },
    Topic {
        area: "Gates & tickets",
        title: "Gate refuses a used day pass",
        purpose: "A pass that was used up does not open the gate.",
        unit: "{} passes",
        value: (2, 9),
        steps: &[
            ("Put a pass on the reader.", "The reader shows green and the gate opens once."),
            ("Put the same pass on the reader again.", "The reader shows red and names the reason."),
            ("Try {} passes in a row.", "Each is answered within half a second."),
        ],
    },
    Topic {
        area: "Gates & tickets",
        title: "Turnstile counts everybody",
        purpose: "The count at the gate agrees with the count at the camera.",
        unit: "{} people",
        value: (20, 90),
        steps: &[
            ("Let {} people through one by one.", "The count rises by {}."),
            ("Let two people through together.", "The gate blocks and calls the desk."),
        ],
    },
    Topic {
        area: "Passenger information",
        title: "Display shows the waiting time",
        purpose: "The waiting time shown is within a minute of the real one.",
        unit: "{} min",
        value: (3, 25),
        steps: &[
            ("Set a queue of {} minutes.", "The display shows {} minutes."),
            ("Cut the network for a minute.", "The display says <i>no information</i>, not an old time."),
        ],
    },
    Topic {
        area: "Evacuation",
        title: "Rescue drive empties the line",
        purpose: "With the main drive dead, all cabins reach a station in time.",
        unit: "{} min",
        value: (25, 55),
        steps: &[
            ("Switch the main drive off.", "The rescue drive offers itself within 30 s."),
            ("Run the line with the rescue drive.", "The last cabin arrives within {} min."),
            ("Call each cabin by radio.", "Every cabin answers."),
        ],
    },
];
