"""Seven shorter programmes: what deliveries look like (leader, tracks of one file, mono, breaks) and the rarer faults.

All of it is made up.
"""

from .story import ALONE, KEEPER, MONO, NARRATOR, PILOT, TRACKS, Damage, Episode, Leader, Line, Planted, Slip, Sound

SHORT_PROGRAMMES: tuple[Episode, ...] = (
    Episode(
        number=5,
        title="The Stone Boat of Nesund",
        frame_rate="25",
        start="09:59:40:00",
        length_s=46,
        key=49,
        tempo=88,
        due_in_days=5,
        leader=(
            Leader("tone", 8),
            Leader("silence", 1),
            Leader("slate", 5, "The Hestholm Lamps, programme five, mix one."),
            Leader("silence", 1),
            Leader("pips", 3),
            Leader("silence", 2),
        ),
        tail_s=3,
        lines=(
            Line(
                5.0,
                NARRATOR,
                "At Nesund the stone was cut in winter, and the boat that carried it could not turn back.",
            ),
            Line(
                19.0,
                KEEPER,
                "You loaded her till the water stood two fingers under the plank, and then you took one stone off.",
            ),
            Line(33.0, NARRATOR, "The tower still stands. Of the boats there is one rib left, in the wall of a barn."),
        ),
        sounds=(Sound("sea", 0, 46, -43), Sound("clank", 15.0, 0.5, -36)),
    ),
    Episode(
        number=6,
        title="The Ferry That Waits",
        frame_rate="25",
        start="10:00:00:00",
        length_s=48,
        key=46,
        tempo=92,
        due_in_days=5,
        delivery=TRACKS,
        lines=(
            Line(
                5.0, NARRATOR, "The last ferry to Orrevik leaves when everybody is on board, and not a minute before."
            ),
            Line(
                18.0,
                KEEPER,
                "She knows who went over in the morning. If one is missing, she waits, and nobody says a word.",
            ),
            Line(33.0, NARRATOR, "On paper the line has been closed for eleven years."),
        ),
        sounds=(Sound("sea", 0, 48, -43), Sound("bell", 14.0, 3, -33)),
        slips=(Slip("miss", 19.0),),
        planted=(Planted("duck-missing", 18.0, 25.0, "The music stays up through the sentence about who went over."),),
    ),
    Episode(
        number=7,
        title="Voices from the Sound Archive",
        frame_rate="25",
        start="10:00:00:00",
        length_s=42,
        key=51,
        tempo=80,
        due_in_days=6,
        target_lufs=-23.3,
        delivery=MONO,
        lines=(
            Line(
                4.0,
                NARRATOR,
                "In the winter of nineteen fifty eight somebody carried a recorder up two hundred and six steps.",
            ),
            Line(
                16.0,
                KEEPER,
                "Is it on? Well then. This is the lamp, and that noise is the clockwork, and I am the third of us.",
            ),
            Line(30.0, NARRATOR, "The tape was found in a biscuit tin, behind the paraffin."),
        ),
        sounds=(Sound("wind", 0, 42, -44),),
    ),
    Episode(
        number=8,
        title="The Net Loft",
        frame_rate="25",
        start="10:00:00:00",
        length_s=50,
        key=48,
        tempo=84,
        due_in_days=6,
        lines=(
            Line(5.0, NARRATOR, "Over the boat house is a room without a chair. Whoever mends, stands."),
            Line(
                20.0,
                KEEPER,
                "The needle goes through, and under, and back, and that is all there is to learn in forty years.",
            ),
            Line(38.0, NARRATOR, "The nets are gone. The hooks in the beam are polished like door handles."),
        ),
        sounds=(Sound("sea", 0, 50, -43),),
        damages=(Damage("turned", 19.5, 8.0), Damage("hole", 40.5, 0.08)),
        planted=(
            Planted(
                "inverse-phase",
                19.5,
                27.5,
                "One clip came in with its right channel upside down; in mono the keeper is gone.",
            ),
            Planted("dropout", 40.5, 40.58, "Eighty milliseconds are missing in the last sentence."),
        ),
    ),
    Episode(
        number=9,
        title="Diesel at Tarn Skerry",
        frame_rate="50",
        start="10:00:00:00",
        length_s=44,
        key=45,
        tempo=100,
        due_in_days=7,
        delivery=ALONE,
        lines=(
            Line(4.0, NARRATOR, "When the generator came, the keepers lost the silence and won an ice box."),
            Line(18.0, KEEPER, "For a week I could not sleep. After that I could not sleep when it stopped."),
            Line(31.0, NARRATOR, "It ran for twenty one years and was never once switched off."),
        ),
        sounds=(Sound("sea", 0, 44, -43), Sound("horn", 13.4, 1.0, -17.0)),
        damages=(Damage("clip", 13.3, 1.4, by=9.0),),
        planted=(Planted("clipped", 13.3, 14.7, "The horn was recorded too hot and is cut off flat."),),
    ),
    Episode(
        number=10,
        title="The School on the Breakwater",
        frame_rate="25",
        start="10:00:00:00",
        length_s=70,
        key=50,
        tempo=76,
        due_in_days=8,
        target_lufs=-23.3,
        lines=(
            Line(
                5.0, NARRATOR, "There were five pupils, four winters, and one stove. The teacher slept behind the map."
            ),
            Line(
                18.0,
                PILOT,
                "We learned the coast from the window. He pointed, and whoever knew the skerry could sit by the stove.",
            ),
            Line(33.0, PILOT, "When it blew hard the lessons were short, because somebody had to hold the door."),
            Line(
                43.5,
                NARRATOR,
                "In the spring the inspector came over, ate with them, and wrote a single word into the book.",
            ),
            Line(
                56.0,
                NARRATOR,
                "The building is a store for ropes now. The map is still on the wall, and the stove is still "
                "warm in winter.",
            ),
        ),
        sounds=(Sound("sea", 0, 70, -43),),
        damages=(Damage("gain", 32.4, 6.0, by=4.5),),
        planted=(
            Planted("section-jump", 32.4, 38.4, "One answer of the pilot came in four and a half decibels too loud."),
        ),
    ),
    Episode(
        number=11,
        title="Pilots of the Kvalsund Bar",
        frame_rate="25",
        start="10:00:00:00",
        length_s=60,
        key=52,
        tempo=96,
        due_in_days=9,
        lines=(
            Line(4.0, NARRATOR, "The bar at Kvalsund moves forty metres a year. No chart of it is ever true."),
            Line(15.0, PILOT, "You take the sounding, you draw the line, and the sea rubs it out again."),
            Line(36.0, NARRATOR, "There are three pilots, and one boat, and a telephone that rings at night."),
            Line(48.0, PILOT, "You do not sleep with one ear open. You sleep with both ears open."),
        ),
        sounds=(Sound("sea", 0, 26, -43), Sound("sea", 32, 28, -43)),
        silent_music=((23.0, 32.4),),
        parts=(("10:00:00:00", "10:00:26:00"), ("10:00:32:00", "10:01:00:00")),
    ),
)
