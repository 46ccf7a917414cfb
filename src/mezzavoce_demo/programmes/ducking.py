"""Programmes in which the music gives way wrongly. All of it is made up.

Three of them in one manner each, and one in which it does so all along.
"""

from .story import KEEPER, NARRATOR, PILOT, Episode, Line, Planted, Slip, Sound

DUCKING_PROGRAMMES: tuple[Episode, ...] = (
    Episode(
        number=12,
        title="The Stairs at Vardholm",
        frame_rate="25",
        start="10:00:00:00",
        length_s=104,
        key=47,
        tempo=92,
        due_in_days=10,
        lines=(
            Line(
                5.0,
                NARRATOR,
                "There are two hundred and six steps at Vardholm, and every keeper knew which of them was loose.",
            ),
            Line(20.0, KEEPER, "You count without wanting to. When I dream of the tower, I dream in numbers."),
            Line(
                36.0,
                NARRATOR,
                "The oil was carried by hand, the water by hand, and once a piano, by nine hands and a rope.",
            ),
            Line(53.0, KEEPER, "They took the legs off. It has been out of tune since, and nobody minded."),
            Line(
                70.0, NARRATOR, "In winter the rail froze to the gloves. There is a hook by the door where they thawed."
            ),
            Line(87.0, PILOT, "From the sea you see only the lamp. You do not see the stairs."),
        ),
        sounds=(Sound("sea", 0, 104, -45),),
        slips=(
            Slip("depth", 20.5, by=5.5),
            Slip("depth", 53.5, by=26.0),
            Slip("early", 87.5, by=3.0),
            Slip("stray", 29.0, by=11.0, length_s=2.6),
        ),
        planted=(
            Planted(
                "duck-shallow",
                20.0,
                26.0,
                "Under the keeper's numbers the music falls by five and a half decibels, half of what it needs.",
            ),
            Planted("duck-stray", 29.0, 31.6, "The music dips for a voice that was moved away."),
            Planted(
                "duck-plunge", 52.5, 60.0, "Under the piano it drops by twenty-five, far more than the voice needs."
            ),
            Planted("duck-early", 83.5, 87.0, "The music is down three seconds before the pilot speaks."),
        ),
    ),
    Episode(
        number=13,
        title="Fog at the Outer Mark",
        frame_rate="25",
        start="10:00:00:00",
        length_s=112,
        key=44,
        tempo=88,
        due_in_days=10,
        lines=(
            Line(
                5.0, NARRATOR, "When the fog comes in at the outer mark, it comes as a wall, and then there is no mark."
            ),
            Line(20.0, KEEPER, "You wind the bell"),
            Line(22.0, KEEPER, "you wind it again", pause_s=0.75),
            Line(24.0, KEEPER, "and then you wait for an answer", pause_s=0.75),
            Line(38.0, NARRATOR, "The machine was driven by a weight. A man had to raise it every forty minutes."),
            Line(55.0, PILOT, "Sound bends in fog. The bell is left of you, and it is right of you, and it is gone."),
            Line(
                74.0,
                NARRATOR,
                "They kept a list of the ships that answered. It has gaps, and beside each gap is a small cross.",
            ),
            Line(98.0, KEEPER, "I do not like to hear it on the radio. On the radio nobody answers."),
        ),
        sounds=(Sound("sea", 0, 112, -46),),
        slips=(
            Slip("pump", 20.5, by=8.0),
            Slip("pump", 22.5, by=8.0),
            Slip("fall", 38.5, by=0.012),
            Slip("hold", 55.5, by=4.2),
        ),
        planted=(
            Planted(
                "duck-pumping", 21.0, 25.0, "The music comes up between the keeper's half-sentences and falls again."
            ),
            Planted("duck-abrupt", 37.5, 38.0, "Before the machine the music steps down within a frame."),
            Planted("duck-slow-return", 60.0, 66.0, "After the pilot the music stays down for nearly five seconds."),
        ),
    ),
    Episode(
        number=14,
        title="A Cable to Orrevik",
        frame_rate="25",
        start="10:00:00:00",
        length_s=108,
        key=49,
        tempo=80,
        due_in_days=11,
        duck_db=12.0,
        music_lufs=-28.5,
        lines=(
            Line(
                6.0, NARRATOR, "The cable came ashore at Orrevik in a single day, and the whole island held on to it."
            ),
            Line(23.0, KEEPER, "They gave every house one bulb. My grandmother hung hers in the stable."),
            Line(40.0, NARRATOR, "The first message asked whether anybody could hear. The second asked for flour."),
            Line(57.0, KEEPER, "It broke each winter at the same stone. The stone has a name now, and not a kind one."),
            Line(
                74.0,
                NARRATOR,
                "For a while the operator's house was the brightest place on the coast, and the lamp was jealous.",
            ),
            Line(92.0, PILOT, "It still lies there. Nobody takes the trouble to pull up a silence."),
        ),
        sounds=(Sound("sea", 0, 108, -46),),
        slips=(Slip("fall", 23.5, by=2.4), Slip("depth", 57.5, by=7.5), Slip("side", 92.5)),
        planted=(
            Planted("duck-slow-ramp", 20.4, 23.0, "Before the bulbs the music takes well over two seconds to fall."),
            Planted(
                "duck-uneven",
                57.0,
                63.0,
                "Under the stone the bed lies four and a half decibels higher than elsewhere, though still "
                "under the voice.",
            ),
            Planted("duck-one-sided", 92.0, 97.0, "For the pilot the automation was drawn on the right channel alone."),
        ),
    ),
    Episode(
        number=15,
        title="Everybody Came to the Quay",
        frame_rate="25",
        start="10:00:00:00",
        length_s=74,
        key=51,
        tempo=104,
        due_in_days=11,
        duck_db=4.5,
        lines=(
            Line(
                5.0,
                NARRATOR,
                "On the first of May everybody came to the quay, with chairs, and the band stood on the salt.",
            ),
            Line(21.0, KEEPER, "Four tunes they had, and they played them until the ferry turned round."),
            Line(38.0, NARRATOR, "Whoever could not dance held the coats. It was a good place to hear things."),
            Line(55.0, PILOT, "I met my wife over eleven coats. She counted them twice."),
        ),
        sounds=(Sound("sea", 0, 74, -46),),
        planted=(
            Planted(
                "clear-share-low",
                5.0,
                59.0,
                "The band was left too loud under everybody, so most of the speech is not in the clear.",
            ),
            Planted("duck-shallow", 5.0, 11.0, "The music gives way too little under the narrator,"),
            Planted("duck-shallow", 21.0, 26.0, "under the keeper,"),
            Planted("duck-shallow", 38.0, 43.0, "under the narrator again,"),
            Planted("duck-shallow", 55.0, 59.0, "and under the pilot: four alike, which can be decided together."),
        ),
    ),
)
