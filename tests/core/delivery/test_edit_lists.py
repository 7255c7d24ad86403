"""What other programs are told of a cut, read back by their own library."""

import re
from fractions import Fraction

import opentimelineio as otio

from cyclorama.core.cut.document import Clip, Cut, Marker, Sound, Title
from cyclorama.core.cut.timeline import Footage, total
from cyclorama.core.delivery.edit_lists import SourceReel, reel_name, timeline_of, write_cut_list, write_edl, write_otio

FILMS = {"spin": Footage(24, Fraction(24), closes=True), "push": Footage(30, Fraction(24))}
REELS = {
    "spin": SourceReel("Orbit 1", 1, "frames/spin", "lantern_orbit", "png", 4),
    "push": SourceReel("A long way in", 101, "frames/push", "lantern_push", "exr", 5),
}
CUT = Cut(
    clips=(
        Clip(id="a", name="Spin", take_id="spin", length=36, cross=8, hold_before=6),
        Clip(id="b", name="Push", take_id="push", begin=4, length=20, hold_after=12),
        Clip(id="c", name="Back", take_id="spin", gap=10, length=24, speed=0.5, reverse=True),
        Clip(id="d", name="Card", length=24),
    ),
    titles=(Title(id="t", text="Lantern <1>", length=24),),
    sounds=(Sound(id="s", name="Bell", made="bell", seconds=6, start=24, length=48),),
    markers=(Marker(id="m", name="Turn", frame=30),),
)


def test_a_timeline_is_as_long_as_the_cut_and_finds_its_frames() -> None:
    told = write_otio(timeline_of(CUT, FILMS, REELS, "Lantern"))
    read = otio.adapters.read_from_string(told, "otio_json")
    assert read.duration() == otio.opentime.RationalTime(total(CUT), 24)
    items = [x for x in read.tracks[0] if not isinstance(x, otio.schema.Transition)]
    assert [(x.name, int(x.duration().value)) for x in items] == [
        ("Spin, held", 6),
        ("Spin", 24),
        ("Spin", 8),
        ("Push", 16),
        ("Push, held", 12),
        ("", 10),
        ("Back", 24),
        ("Card", 24),
    ]
    (crossing,) = (x for x in read.tracks[0] if isinstance(x, otio.schema.Transition))
    assert (crossing.in_offset.value, crossing.out_offset.value) == (4, 4)
    push = items[3]
    # it is cut in the middle of the cross-fade: four frames into what it plays
    assert push.source_range.start_time.value == 101 + 4 + 4
    url = push.media_reference.target_url_for_image_number(0)
    assert url == "frames/push/lantern_push.00101.exr"
    (warp,) = items[6].effects
    assert warp.time_scalar == -0.5
    assert isinstance(items[4].effects[0], otio.schema.FreezeFrame)
    assert [x.name for x in read.tracks.markers] == ["Turn"]
    bell = [x for x in read.tracks[1] if isinstance(x, otio.schema.Clip)]
    assert [(x.name, x.range_in_parent().start_time.value, x.duration().value) for x in bell] == [("Bell", 24, 48)]


def test_an_edit_decision_list_is_read_back_as_long() -> None:
    told = write_edl(CUT, FILMS, REELS, "Harbour Lantern")
    assert told.startswith("TITLE: HARBOUR LANTERN\nFCM: NON-DROP FRAME")
    assert re.search(r"D    008 00:00:04:09 00:00:05:05 00:00:01:10", told)  # the push, from its frame 105 on
    for tape in re.findall(r"^\d{3}  (\S+) ", told, re.M):
        assert len(tape) <= 8
    read = otio.adapters.read_from_string(told, "cmx_3600", rate=24)
    assert read.duration().value == total(CUT)
    names = [x.name for x in read.tracks[0] if isinstance(x, otio.schema.Clip)]
    assert names[-2:] == ["Back", "Card"]
    assert reel_name("A long way in") == "ALONAYIN"


def test_drop_frame_is_told_and_people_can_read_it() -> None:
    dropping = CUT.model_copy(update={"rate_num": 30000, "rate_den": 1001})
    assert "FCM: DROP FRAME" in write_edl(dropping, FILMS, REELS, "x")
    page = write_cut_list(CUT, FILMS, REELS, "Harbour Lantern")
    assert "Lantern &lt;1&gt;" in page
    assert "held 0.5 s at the end" in page
    assert "<script" not in page
