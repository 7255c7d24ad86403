"""A cut at another rate keeps its seconds and its loop; titles that are cut off are named for each size."""

from fractions import Fraction

from cyclorama.core.cut.document import Clip, Cut, Marker, Sound, Title, TitleLayout
from cyclorama.core.cut.edits import SetCutRate, apply_edit
from cyclorama.core.cut.rates import with_rate
from cyclorama.core.cut.timeline import Footage, clips_at, lay_out_cut, total
from cyclorama.core.cut.title_faults import title_faults
from cyclorama.core.cut.titles import draw_title, extent

FILMS = {"spin": Footage(frames=24, rate=Fraction(24), closes=True)}


def numbers(cut: Cut) -> list[int | None]:
    """The frame of its take that each frame of a cut shows."""
    places = lay_out_cut(cut)
    return [clips_at(places, FILMS, cut.rate.fraction, i)[0].number for i in range(total(cut))]


def test_a_loop_that_is_cut_at_another_rate_still_closes() -> None:
    cut = Cut(clips=(Clip(id="a", take_id="spin", length=24),))
    after = apply_edit(cut, SetCutRate(rate_num=30), FILMS)
    assert (after.rate_num, after.clips[0].length) == (30, 30)
    kept = apply_edit(cut, SetCutRate(rate_num=30, keep="frames"), FILMS)
    assert (kept.rate_num, kept.clips) == (30, cut.clips)
    shown = numbers(after)
    assert {*shown} == {*range(24)}  # every frame of the turn, where 24 of 30 would end at 18
    assert shown == sorted(shown)  # type: ignore[type-var]
    assert with_rate(after, 24, 1, FILMS) == cut
    twice = cut.model_copy(update={"clips": (Clip(id="a", take_id="spin", length=48, speed=0.5),)})
    assert with_rate(twice, 60, 1, FILMS).clips[0].length == 120


def test_everything_else_stays_where_it_is_in_seconds() -> None:
    cut = Cut(
        clips=(Clip(id="a", take_id="spin", begin=6, length=12, gap=3, hold_after=24, fade_in=1),),
        titles=(Title(id="t", text="Lantern", start=12, length=36, fade_in=6, fade_out=0),),
        sounds=(Sound(id="s", made="sea", start=48, length=24, begin_s=1.5),),
        markers=(Marker(id="m", frame=72),),
    )
    after = with_rate(cut, 60, 1, FILMS)
    clip, title, sound = after.clips[0], after.titles[0], after.sounds[0]
    assert (clip.begin, clip.length, clip.gap, clip.hold_after, clip.fade_in) == (15, 30, 8, 60, 2)
    assert (title.start, title.length, title.fade_in, title.fade_out) == (30, 90, 15, 0)
    assert (sound.start, sound.length, sound.begin_s, after.markers[0].frame) == (120, 60, 1.5, 180)


def test_titles_that_are_cut_off_are_named_for_each_size() -> None:
    wide = Title(id="a", text="Instruments for weather", size=9.0)
    code = Title(id="b", kind="timecode", size=6.0, down=99.0)
    greek = Title(id="c", text="Φανός", size=4.0)
    lacking = Title(id="d", text="灯台", size=4.0)
    cut = Cut(titles=(wide, code, greek, lacking), clips=(Clip(id="x", length=100),))

    def faults(width: int, height: int) -> list[str]:
        return title_faults(cut, width, height, lambda key: b"")

    landscape = faults(1280, 720)
    assert landscape[0] == "‘timecode’ is cut off at the bottom in 1280×720."
    assert "letters that no font here has: 台 灯. Choose or bring a font for Han." in landscape[1]
    assert len(landscape) == 2
    assert faults(1080, 1920)[0] == "‘Instruments for weather’ is cut off at the left and right in 1080×1920."
    own = wide.model_copy(update={"layouts": (TitleLayout(id="9:16", size=2.0),)})
    cut = cut.model_copy(update={"titles": (own,)})
    assert faults(1080, 1920) == []


def test_a_title_that_is_too_wide_shrinks_or_wraps_into_the_safe_width() -> None:
    """Nine tenths of the picture are safe (SMPTE ST 2046-1), measured from the edge that it is aligned to."""
    words = Title(id="a", text="Instruments for weather, made by hand", size=8.0)
    word = Title(id="b", text="Weatherinstruments", size=14.0)

    def seen(title: Title, width: int = 360, height: int = 640, **more: object) -> tuple[int, int, int, int]:
        title = title.model_copy(update=more)
        return extent(draw_title(title, title.text, "9:16", width, height, lambda key: b""))

    left, _, right, _ = seen(words)
    assert left < 0
    assert right > 360
    line = seen(words, too_wide="shrink")
    wrapped = seen(words, too_wide="wrap")
    for edges in (line, wrapped, seen(word, too_wide="wrap"), seen(words, too_wide="wrap", align="left", across=30.0)):
        assert edges[0] >= 0.05 * 360 - 1
        assert edges[2] <= 0.95 * 360 + 1
    assert line[2] - line[0] > 0.88 * 360  # as large as there is room
    assert wrapped[3] - wrapped[1] > 3 * (line[3] - line[1])  # several lines of letters that kept their size
    # where there is room, nothing changes
    for how in ("shrink", "wrap"):
        assert seen(words, 1920, 400, too_wide=how) == seen(words, 1920, 400)
