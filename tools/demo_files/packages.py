"""The words of the demo's packages."""

from __future__ import annotations

from typing import Any

FLAME = (
    "<svg viewBox='0 0 300 90' width='300' role='img' aria-label='Heat, fuel and air around a flame'>"
    "<path d='M150 12 40 80h220z' fill='none' stroke='#1c2330' stroke-width='3'/>"
    "<path d='M150 70c-18-8-14-28 0-40 4 12 18 16 14 28-2 8-8 12-14 12z' fill='#b3261e'/></svg>"
)
RAILS = (
    "<svg viewBox='0 0 300 80' width='300' role='img' aria-label='A gangway with one way up and one way down'>"
    "<path d='M20 60 280 20M20 75 280 35' stroke='#1c2330' stroke-width='3'/><path d='M60 58l40-6M200 50l-40 6' stroke='#0d5c63' stroke-width='5'/></svg>"
)


def question(id_: str, title: str, asks: str, choices: list[str], right: int, because: str) -> dict[str, Any]:
    return {"id": id_, "title": title, "question": asks, "choices": choices, "right": right, "because": because}


PACKAGES: list[dict[str, Any]] = [
    {
        "file": "extinguishers-and-blankets.zip",
        "standard": "scorm12",
        "title": "Extinguishers and blankets",
        "about": "Which extinguisher for which fire, and when a blanket is enough.",
        "minutes": 25,
        "mastery": 80,
        "pass": 80,
        "pages": [
            {
                "title": "What a fire needs",
                "text": [
                    "Heat, fuel and air. Take one away and it goes out. Everything that hangs on our bulkheads takes away one of them."
                ],
                "picture": FLAME,
            },
            {
                "title": "What hangs where",
                "text": [
                    "Foam stands by the car deck ladders. Carbon dioxide hangs by the switchboards. Blankets are in the galley, left of the door on every vessel."
                ],
            },
            question(
                "q1",
                "A pan in the galley",
                "Fat burns in a pan. What do you take?",
                ["Water from the tap", "The blanket", "Foam"],
                1,
                "The blanket takes the air away; water would throw the fat about.",
            ),
            question(
                "q2",
                "The switchboard",
                "Smoke comes from a switchboard that is live.",
                ["Carbon dioxide", "Foam", "A wet cloth"],
                0,
                "It does not lead electricity and leaves nothing behind.",
            ),
            {
                "title": "One pull, then aim low",
                "text": [
                    "Pull the pin, aim at the foot of the flame, sweep. A portable one lasts about twenty seconds: know your way out before you begin."
                ],
            },
            question(
                "q3",
                "How long?",
                "How long does a portable extinguisher last?",
                ["About 20 seconds", "About 2 minutes", "About 5 minutes"],
                0,
                "So you have one go: aim at the foot of the flame.",
            ),
            question(
                "q4",
                "Before you begin",
                "What comes before the pin?",
                ["A photograph", "The alarm", "The ventilation"],
                1,
                "Nobody can help who does not know.",
            ),
            question(
                "q5",
                "After it is out",
                "The fire is out. What now?",
                ["Back to work", "Watch it, cool it, report it", "Refill the extinguisher yourself"],
                1,
                "Fires come back from what is still hot.",
            ),
            {"title": "The end", "end": True},
        ],
    },
    {
        "file": "guiding-a-crowd.zip",
        "standard": "scorm2004",
        "title": "Guiding a crowd",
        "about": "How people move when they are afraid, and how a calm voice turns them.",
        "minutes": 20,
        "mastery": 0.7,
        "pass": 70,
        "pages": [
            {
                "title": "People follow people",
                "text": [
                    "In doubt a crowd goes back the way it came. If the better way is another one, somebody must stand in it."
                ],
                "picture": RAILS,
            },
            {
                "title": "Say what to do, not what not to do",
                "text": ["“This way, hold the rail” is heard. “Don’t panic” is heard as “panic”."],
            },
            question(
                "q1",
                "The gangway",
                "Where do you stand on a gangway that goes one way?",
                ["At its foot", "Where both ways part", "In the wheelhouse"],
                1,
                "There people choose.",
            ),
            question(
                "q2",
                "The words",
                "Which call works?",
                ["“Don’t run!”", "“Walk to the blue sign!”", "“Calm down!”"],
                1,
                "It names something to do and something to see.",
            ),
            question(
                "q3",
                "A child alone",
                "You find a child alone on the stair.",
                ["Send it up", "Take it to the muster point", "Wait with it on the stair"],
                1,
                "There its people will look for it.",
            ),
            {"title": "The end", "end": True},
        ],
    },
    {
        "file": "entering-closed-spaces.zip",
        "standard": "scorm12",
        "title": "Entering closed spaces",
        "about": "Tanks, voids and lockers: what may be in them, and the paper that lets you in.",
        "minutes": 30,
        "mastery": 75,
        "pass": 75,
        "pages": [
            {
                "title": "Air that looks like air",
                "text": [
                    "Rust eats oxygen. A ballast tank that was shut since autumn may hold too little of it, and you will not notice."
                ],
            },
            {
                "title": "Three checks",
                "text": [
                    "Vent it. Measure it, high, middle and low. Have somebody at the hatch who does nothing else."
                ],
            },
            question(
                "q1",
                "Measured at the hatch",
                "The air at the hatch is good. May you go down?",
                ["Yes", "No: measure high, middle and low"],
                1,
                "Gases lie in layers.",
            ),
            question(
                "q2",
                "He does not answer",
                "Your mate below does not answer. What do you do first?",
                ["Go down to him", "Raise the alarm"],
                1,
                "Most who die in tanks went in to help.",
            ),
            question(
                "q3",
                "The permit",
                "Until when does a permit hold?",
                ["The end of the shift at most", "A week", "Until the work is done"],
                0,
                "A new watch means a new permit.",
            ),
            question(
                "q4",
                "The watch at the hatch",
                "May the watch fetch a tool?",
                ["No", "If it is near"],
                0,
                "The watch does nothing else.",
            ),
            {"title": "The end", "end": True},
        ],
    },
]

DOCUMENTS: list[dict[str, Any]] = [
    {
        "file": "muster-list.pdf",
        "title": "Muster list of your vessel",
        "pages": [
            (
                "Why there is a list",
                "In the first minutes nobody has time to ask who does what. The list says it: for every signal, every post and every person on board, and who stands in when somebody is ashore.",
            ),
            (
                "Signals",
                "Seven short and one long: muster. Continuous ringing: fire. Three long: man overboard. A signal is never a drill until the bridge says so.",
            ),
            (
                "Muster points",
                "Aft car deck for the crew below, upper saloon for passengers and galley, wheelhouse for the bridge team. On Knot and Sanderling passengers muster in the forward saloon.",
            ),
            (
                "Who counts",
                "The chief mate counts crew, the galley lead counts passengers, each by name against the list of the sailing. A count that does not come out is said at once.",
            ),
            (
                "Boats and rafts",
                "Deckhands one to four at the rafts, the bosun at the davit. Nobody lowers on their own word.",
            ),
            (
                "Engine room",
                "The second engineer closes ventilation and fuel from outside. The motorman reports at the aft car deck.",
            ),
            (
                "When you are a stand-in",
                "Whoever stands in reads the post’s card before the lines are let go. The card hangs behind the bar of the crew mess.",
            ),
            (
                "Your signature",
                "You have read this for the vessel that you sail on today. After a move you read it again.",
            ),
        ],
    },
    {
        "file": "galley-handbook.pdf",
        "title": "Galley hygiene handbook",
        "pages": [
            (
                "Hands",
                "Wash before you begin, after raw meat, after money, after the deck. Twenty seconds, warm water, paper towels.",
            ),
            (
                "Cold",
                "Chilled food stands at five degrees or below. Write the reading down at the start and the end of each sailing.",
            ),
            (
                "Hot",
                "Soup and pies are held at sixty-three degrees or more. What fell below is thrown away after two hours.",
            ),
            ("Allergens", "The list is by the till. If you do not know, say so and look: never guess."),
            ("Cleaning", "Clean as you go; boards by colour. The deep clean is on the last sailing of the week."),
            (
                "Ill?",
                "If your stomach is upset you do not work with food until two days after it is over. Tell the galley lead.",
            ),
        ],
    },
    {
        "file": "ticket-data.pdf",
        "title": "Handling ticket data",
        "pages": [
            (
                "What we hold",
                "Names, cars, contact numbers and, for some, what help somebody needs on the ramp. All of it is theirs, lent to us.",
            ),
            ("Who may look", "Whoever needs it for the sailing at hand. Curiosity is not a need."),
            ("Lists on paper", "A printed list goes back to the terminal office and into the shredder the same day."),
            (
                "Asked on the telephone",
                "Nobody learns by telephone whether somebody is on board: not friends, not papers. The duty manager speaks to the police.",
            ),
            (
                "When something went wrong",
                "Tell the office within the hour, even if you are not sure. Nobody is blamed for telling.",
            ),
        ],
    },
    {
        "file": "yard-induction.pdf",
        "title": "Yard induction",
        "pages": [
            (
                "Coming in",
                "Sign in at the gate, wear helmet and boots, keep to the yellow path. Cranes have right of way over everybody.",
            ),
            (
                "Lock it, tag it",
                "What you work on is locked by your own lock with your own tag. Nobody takes off somebody else’s.",
            ),
            ("Water’s edge", "A life vest within two metres of the edge, and somebody who sees you."),
            ("Hot work", "No grinding or welding without a permit and somebody with an extinguisher beside you."),
        ],
    },
    {
        "file": "season-briefing.pdf",
        "title": "New season briefing",
        "pages": [
            (
                "What is new",
                "Turnstone sails to Holm Landing twice more a day. Boarding closes eight minutes before departure, two more than last year.",
            ),
            (
                "Summer crews",
                "Thirty seasonal hands join in April. Each has somebody who shows them round for the first two weeks.",
            ),
            ("Ramps", "The new ramp at Osier Point moves with the tide. Nobody stands on its hinge plate."),
        ],
    },
    {
        "file": "mooring-lines.pdf",
        "title": "Mooring lines and snap-back",
        "pages": [
            (
                "A line under load",
                "A line that parts comes back faster than you see it. It comes back along itself, and round every lead.",
            ),
            (
                "Where not to stand",
                "The snap-back zone is painted, but think beyond the paint: every bend makes a zone of its own.",
            ),
            ("Heaving and letting go", "One gives the signals, all others watch that one. Nobody steps over a line."),
            ("Worn lines", "A third of the strands chafed is the end of a line. Say so, even if the ship waits."),
            (
                "Winter",
                "Ice makes a line stiff and a deck slippery: half speed on the winch, and a second look at every lead.",
            ),
        ],
    },
    {
        "file": "sea-survival.pdf",
        "title": "Sea survival basics",
        "pages": [
            (
                "Cold shock",
                "The first minute in cold water takes your breath. Float, hold on to something, wait until you breathe again.",
            ),
            (
                "Before you leave the ship",
                "Warm clothes, life jacket on and tied, a look where you go. Step, do not jump, wherever you can.",
            ),
            ("In the raft", "Cut the painter, get clear, stream the sea anchor, close the canopy. Then count."),
            ("Being seen", "Flares only when somebody can see them. The light and the whistle cost nothing."),
            ("Keeping warm", "Huddle, keep dry, keep your hands in. Whoever is quiet is looked after first."),
        ],
    },
    {
        "file": "vehicle-deck.pdf",
        "title": "Loading the vehicle deck",
        "pages": [
            (
                "The plan",
                "Heavy low and in the middle, lorries first, motorbikes last. The mate’s plan stands; changes go through the mate.",
            ),
            (
                "Hand signals",
                "Two hands, slow. If a driver cannot see your hands, the driver stops: teach them that with the first signal.",
            ),
            ("Gaps", "Two hand-widths between cars, a person’s width along the bulkhead. It is your way out too."),
            (
                "Lashing",
                "Wheels chocked, lorries lashed when more than three is forecast. Check once more past the breakwater.",
            ),
        ],
    },
    {
        "file": "radio-words.pdf",
        "title": "Radio words, the card",
        "pages": [
            (
                "On the card",
                "Say who you call, then who you are, then what you want. Wait. “Say again” for what you did not get, never “repeat”.",
            ),
            ("Spelling", "Spell ships and places with the card’s alphabet, one word at a time."),
        ],
    },
]

FILM = {
    "file": "the-first-two-minutes.mp4",
    "title": "The first two minutes",
    "seconds": 48,
    "scenes": [
        ("Smoke on the car deck", "You see it first. What you do now counts most."),
        ("Shout and push", "Shout “Fire, car deck!” and push the nearest call point."),
        ("Say where", "Tell the bridge: what burns, where, is anybody there."),
        ("One go", "Small fire, way out behind you: one extinguisher, one go."),
        ("Shut it in", "It does not go out? Out, doors shut, vents shut."),
        ("Muster", "Go to your muster point. Be counted."),
    ],
}
FILM_2 = {
    "file": "passengers-on-the-stair.mp4",
    "title": "Passengers on the stair",
    "seconds": 36,
    "scenes": [
        ("A full stair", "Two hundred people want to the car deck at once."),
        ("Stand where ways part", "One of us at the foot, one at the turn."),
        ("Say what to do", "“Hold the rail. Keep left. This way to your car.”"),
        ("Open late", "The lower door opens when the ramp is down, not before."),
    ],
}
SPEECH = {
    "file": "radio-words.mp3",
    "title": "Radio words",
    "text": (
        "Radio words. Sandpiper, Sandpiper, this is Marram Quay. Say who you call, twice, then who you are. "
        "Marram Quay, this is Sandpiper, go ahead. Now wait until the other has let go of the key. "
        "Say again, means: I did not get that. Never say repeat. Wilco means: I will do it. Roger means: I have heard it. "
        "Over: I have finished, your turn. Out: I have finished, and so have you. Nobody says over and out. "
        "Numbers go one by one. Channel one two, not channel twelve. When it is about life, say Mayday three times, "
        "and the name of the ship three times. Everybody else is silent then, until they are asked."
    ),
}
