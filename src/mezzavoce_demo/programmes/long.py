"""The four longer programmes of the series: ducking and masking, and an announcement that is too loud.

All of it is made up.
"""

from .story import KEEPER, NARRATOR, PILOT, Episode, Line, Planted, Slip, Sound

LONG_PROGRAMMES: tuple[Episode, ...] = (
    Episode(
        number=1,
        title="Two Keepers at Orrevik",
        frame_rate="25",
        start="10:00:00:00",
        length_s=82,
        key=50,
        tempo=84,
        due_in_days=1,
        lines=(
            Line(
                6.0,
                NARRATOR,
                "On the outermost rock of the Hestholm coast, two people have kept one lamp for thirty winters.",
            ),
            Line(13.5, NARRATOR, "The supply boat comes on the first dry day of the month, and not always then."),
            Line(26.0, KEEPER, "You learn to hear the weather before you see it. The stairs tell you. They hum."),
            Line(33.0, KEEPER, "And when they stop humming, you put the kettle on, because it will be a long night."),
            Line(
                47.0,
                NARRATOR,
                "The lens weighs as much as a small car. It turns on a bath of mercury, and one finger can move it.",
            ),
            Line(
                63.0,
                KEEPER,
                "My mother lit it, I lit it, and my daughter has the code on her telephone. It is the same light.",
            ),
        ),
        sounds=(
            Sound("sea", 0, 82, -43),
            Sound("wind", 18, 9, -41),
            Sound("bell", 21.2, 3, -32),
            Sound("bell", 57.5, 3, -33),
        ),
    ),
    Episode(
        number=2,
        title="The Bell Buoy off Tarn Skerry",
        frame_rate="25",
        start="10:00:00:00",
        length_s=96,
        key=45,
        tempo=96,
        due_in_days=2,
        lines=(
            Line(
                5.0,
                NARRATOR,
                "Nobody rings the bell off Tarn Skerry. The swell does it, four times a minute, day and night.",
            ),
            Line(
                19.0, NARRATOR, "Every second spring it is lifted out, scraped, painted red, and put back on its chain."
            ),
            Line(
                36.0,
                KEEPER,
                "The chain is the thing. People look at the bell, and I look at the chain, every link of it.",
            ),
            Line(
                53.0,
                NARRATOR,
                "In nineteen sixty two a trawler cut across the skerry in fog, and only the bell kept her off "
                "the stones.",
            ),
            Line(69.0, KEEPER, "I was nine. My father said, listen, there is a ship that is listening too."),
            Line(84.0, NARRATOR, "The new buoy has a lamp and a battery. They left the bell on it all the same."),
        ),
        sounds=(
            Sound("sea", 0, 96, -43),
            Sound("bell", 12.6, 3, -32),
            Sound("engine", 28, 6.5, -37),
            Sound("bell", 77, 3, -32),
        ),
        slips=(Slip("miss", 37.0), Slip("late", 69.0, by=0.9)),
        planted=(
            Planted("duck-missing", 36.0, 43.0, "The music stays up through the keeper's line about the chain."),
            Planted("duck-late", 69.0, 71.0, "The music is still falling over “I was nine”."),
        ),
    ),
    Episode(
        number=3,
        title="Paraffin Day",
        frame_rate="30000/1001df",
        start="01:00:00;00",
        length_s=90,
        key=47,
        tempo=76,
        due_in_days=4,
        lines=(
            Line(
                5.0,
                NARRATOR,
                "Four hundred litres came up the landing in summer, two cans at a time, on a yoke across the "
                "shoulders.",
            ),
            Line(
                20.0,
                NARRATOR,
                "The oil was strained through felt before it went near the burner, for one hair in the wick "
                "could smoke the glass.",
            ),
            Line(
                40.0,
                KEEPER,
                "Put the cans down here, they said, and count them again, since the count was never right the "
                "first time.",
            ),
            Line(
                58.0,
                NARRATOR,
                "On the last such day the tender brought a cable drum instead, and two men who did not stay "
                "for coffee.",
            ),
            Line(74.0, KEEPER, "I still smell it on the third landing. You cannot paint that away."),
        ),
        sounds=(
            Sound("sea", 0, 90, -44),
            Sound("wind", 12, 6, -42),
            Sound("clank", 39.98, 0.5, -29.2),
            Sound("engine", 57.4, 8.4, -27.5),
            Sound("bell", 69, 3, -33),
        ),
        slips=(Slip("push", 23.0, by=8.0, length_s=3.2),),
        planted=(
            Planted(
                "masked-speech", 22.5, 27.0, "The music is pushed up in the middle of the sentence about the wick."
            ),
            Planted("first-word-masked", 40.0, 40.5, "A can strikes the stone right on the keeper's first word."),
            Planted("effect-over-speech", 60.5, 63.0, "The tender's engine runs too loud under the narration."),
        ),
        silent_music=((32.0, 51.0),),
    ),
    Episode(
        number=4,
        title="Kvalsund Pilots, announcement",
        frame_rate="25",
        start="09:58:30:00",
        length_s=62,
        key=52,
        tempo=104,
        due_in_days=1,
        lines=(
            Line(
                7.0,
                NARRATOR,
                "Next week: the bar at Kvalsund moves forty metres a year, and somebody has to know where it went.",
            ),
            Line(22.0, PILOT, "You take the sounding, you draw the line, and the sea rubs it out again."),
            Line(36.0, NARRATOR, "Pilots of the Kvalsund Bar. Thursday, after the weather."),
        ),
        sounds=(Sound("sea", 0, 62, -43), Sound("horn", 14.8, 1.0, -13.6), Sound("bell", 30.0, 3, -32)),
        target_lufs=-20.6,
        spec="EBU R 128 s1",
        swell_db=9.0,
        planted=(
            Planted("integrated-off-target", 0.0, 62.0, "The whole announcement stands at -20.6 LUFS instead of -23."),
            Planted("short-term-over", 44.0, 60.0, "The closing music passes -18 LUFS short-term."),
            Planted("true-peak-over", 14.8, 16.0, "The harbour horn passes -1 dBTP."),
        ),
    ),
)
