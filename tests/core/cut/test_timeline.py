"""The timeline is arithmetic: every frame of a cut comes from somewhere, and edits move no picture they do not name."""

from contextlib import suppress
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cyclorama.core.cut.descriptions import clip_says, cut_says
from cyclorama.core.cut.document import Clip, Cut, Title
from cyclorama.core.cut.edits import (
    AddClip,
    Carry,
    Freeze,
    Join,
    Pace,
    ReplaceTake,
    SetValues,
    Split,
    TakeOut,
    Trim,
    apply_edit,
)
from cyclorama.core.cut.timeline import Footage, clips_at, lay_out_cut, length_of, titles_at, total
from cyclorama.core.errors import ChangeError

FILMS = {
    "spin": Footage(24, Fraction(24), closes=True),
    "push": Footage(7, Fraction(30000, 1001)),
    "still": Footage(1, Fraction(25)),
}


def clips(fades: bool = True) -> st.SearchStrategy[tuple[Clip, ...]]:
    few, some = st.integers(0, 9), st.integers(1, 40)
    one = st.builds(
        Clip,
        id=st.uuids().map(lambda u: u.hex),
        take_id=st.sampled_from([*FILMS, ""]),
        gap=few,
        begin=few,
        length=some,
        speed=st.sampled_from([0.05, 0.5, 1.0, 1.37, 3.0, 20.0]),
        reverse=st.booleans(),
        beyond=st.sampled_from(["repeat", "to and fro", "hold"]),
        hold_before=few,
        hold_after=few,
        cross=few if fades else st.just(0),
        fade_in=few if fades else st.just(0),
        fade_out=few if fades else st.just(0),
    )
    return st.lists(one, min_size=1, max_size=6).map(tuple)


rates = st.sampled_from([(24, 1), (25, 1), (30, 1), (30000, 1001), (60, 1)])


def cut_of(these: tuple[Clip, ...], rate: tuple[int, int] = (24, 1), **more: object) -> Cut:
    return Cut(clips=these, rate_num=rate[0], rate_den=rate[1], **more)  # type: ignore[arg-type]


def pictures(cut: Cut) -> list[list[tuple[str, int | None, float]]]:
    """What each frame of a cut shows: of which take which frame, and its share."""
    places = lay_out_cut(cut)
    return [
        [(s.clip.take_id, s.number, s.weight) for s in clips_at(places, FILMS, cut.rate.fraction, i)]
        for i in range(total(cut))
    ]


@given(clips(), rates)
def test_every_frame_comes_from_somewhere(these: tuple[Clip, ...], rate: tuple[int, int]) -> None:
    cut = cut_of(these, rate)
    places = lay_out_cut(cut)
    assert (
        total(cut)
        == max(x.end for x in places)
        == sum(c.gap + length_of(c) - x.cross_out for c, x in zip(these, places, strict=True))
    )
    for i, shown in enumerate(pictures(cut)):
        there = [x.clip for x in places if x.start <= i < x.end]
        assert len(there) == len(shown) <= 2
        assert not shown or sum(weight for *_, weight in shown) == pytest.approx(1)
        for (take, number, _), clip in zip(shown, there, strict=True):
            assert take == clip.take_id
            assert (number is None) == (not take)
            assert number is None or 0 <= number < FILMS[take].frames


@given(clips(fades=False), rates, st.data())
def test_splitting_moves_no_picture_and_joining_takes_it_back(
    these: tuple[Clip, ...], rate: tuple[int, int], data: st.DataObject
) -> None:
    cut = cut_of(these, rate)
    at = data.draw(st.integers(0, total(cut) - 1))
    starts = {x.start for x in lay_out_cut(cut)}
    inside = any(x.start < at < x.end for x in lay_out_cut(cut))
    if not inside:
        message = "begins here already" if at in starts else "No clip is shown"
        with pytest.raises(ChangeError, match=message):
            apply_edit(cut, Split(frame=at), FILMS)
        return
    split = apply_edit(cut, Split(frame=at), FILMS)
    assert len(split.clips) == len(these) + 1
    assert pictures(split) == pictures(cut)
    first = next(x.clip.id for x in lay_out_cut(split) if x.end == at)
    joined = apply_edit(split, Join(clip=first), FILMS)
    assert pictures(joined) == pictures(cut)
    # where one picture is all that is played, what is held before it and after it is the same
    assert joined == cut or next(c for c in cut.clips if c.id == first).length == 1


@given(clips(fades=False), st.data())
def test_without_rippling_nothing_else_moves(these: tuple[Clip, ...], data: st.DataObject) -> None:
    cut = cut_of(these)
    k = data.draw(st.integers(0, len(these) - 1))
    before = {x.clip.id: x.start for x in lay_out_cut(cut)}
    edit: TakeOut | Trim = TakeOut(path=f"clips/{these[k].id}", ripple=False)
    if data.draw(st.booleans()):
        by, edge = data.draw(st.integers(-30, 30)), data.draw(st.sampled_from(["begin", "end"]))
        edit = Trim(clip=these[k].id, edge=edge, by=by, ripple=False)
    with suppress(ChangeError):  # there may be no room
        cut = apply_edit(cut, edit, FILMS)
    after = {x.clip.id: x.start for x in lay_out_cut(cut)}
    moved = {i for i in after if after[i] != before[i]}
    assert moved <= ({these[k].id} if isinstance(edit, Trim) and edit.edge == "begin" else set())


@given(clips(), st.data())
def test_a_trim_changes_the_length_by_as_much(these: tuple[Clip, ...], data: st.DataObject) -> None:
    cut = cut_of(these)
    clip = data.draw(st.sampled_from(these))
    by, edge = data.draw(st.integers(-60, 60)), data.draw(st.sampled_from(["begin", "end"]))
    new = next(c for c in apply_edit(cut, Trim(clip=clip.id, edge=edge, by=by), FILMS).clips if c.id == clip.id)
    longer = by if edge == "end" else -by
    assert length_of(new) == max(1, length_of(clip) + longer)


def test_rates_that_differ_keep_their_pace() -> None:
    """24/s in a cut of 30/s: every fourth frame is shown twice; 30/s in 24/s: every fifth is left out."""
    film = {"a": Footage(8, Fraction(24)), "b": Footage(10, Fraction(30))}
    for take, rate, wanted in (("a", 30, [0, 0, 1, 2, 3, 4, 4, 5, 6, 7]), ("b", 24, [0, 1, 2, 3, 5, 6, 7, 8])):
        cut = apply_edit(cut_of((), (rate, 1)), AddClip(take_id=take), film)
        places = lay_out_cut(cut)
        assert [clips_at(places, film, cut.rate.fraction, i)[0].number for i in range(total(cut))] == wanted


def test_beyond_its_end_a_take_goes_round_to_and_fro_or_holds() -> None:
    film = {"a": Footage(4, Fraction(24))}
    for beyond, wanted in (
        ("repeat", [0, 1, 2, 3, 0, 1, 2, 3, 0]),
        ("to and fro", [0, 1, 2, 3, 2, 1, 0, 1, 2]),
        ("hold", [0, 1, 2, 3, 3, 3, 3, 3, 3]),
    ):
        clip = Clip(id="c", take_id="a", length=9, beyond=beyond)
        found = [s.number for i in range(9) for s in clips_at(lay_out_cut(cut_of((clip,))), film, Fraction(24), i)]
        assert found == wanted
        back = clip.model_copy(update={"reverse": True})
        found = [s.number for i in range(9) for s in clips_at(lay_out_cut(cut_of((back,))), film, Fraction(24), i)]
        assert found == [3 - n for n in wanted]


def test_pacing_keeps_the_stretch_and_freezing_adds_a_hold() -> None:
    cut = apply_edit(cut_of(()), AddClip(take_id="spin"), FILMS)
    clip = cut.clips[0]
    assert clip.beyond == "repeat"
    slow = apply_edit(cut, Pace(clip=clip.id, speed=0.5), FILMS)
    assert [n for ((_, n, _),) in pictures(slow)] == [i // 2 for i in range(48)]
    assert apply_edit(slow, Pace(clip=clip.id, speed=1), FILMS) == cut
    frozen = apply_edit(cut, Freeze(frame=5, frames=3), FILMS)
    assert [n for ((_, n, _),) in pictures(frozen)] == [*range(6), 5, 5, 5, *range(6, 24)]
    with pytest.raises(ChangeError, match="no speed"):
        apply_edit(cut_of((Clip(id="card"),)), Pace(clip="card", speed=2), FILMS)


def test_titles_go_along_with_their_clip_and_fade_evenly() -> None:
    cut = cut_of(
        (Clip(id="a", length=10), Clip(id="b", length=10)),
        titles=(Title(id="t", text="Lantern", clip_id="b", start=2, length=6, fade_in=2, fade_out=2),),
    )

    def seen(cut: Cut) -> list[tuple[int, float]]:
        places = lay_out_cut(cut)
        return [(i, s.opacity) for i in range(total(cut)) for s in titles_at(cut, places, i)]

    shares = [1 / 3, 2 / 3, 1, 1, 2 / 3, 1 / 3]
    assert seen(cut) == [(12 + i, pytest.approx(share)) for i, share in enumerate(shares)]
    first = apply_edit(cut, Carry(clip="b", to=0), FILMS)
    assert [i for i, _ in seen(first)] == list(range(2, 8))
    assert apply_edit(cut, TakeOut(path="clips/b"), FILMS).titles == ()
    with pytest.raises(ChangeError, match="not in the cut"):
        apply_edit(cut, SetValues(values={"titles/t/clip_id": "gone"}), FILMS)


def test_sentences_say_what_is_shown() -> None:
    held = Clip(id="c", name="Spin 2", take_id="spin", length=24, hold_after=48, fade_in=12)
    cut = cut_of((held,))
    says = clip_says(lay_out_cut(cut)[0], FILMS["spin"], 1, cut)
    assert says == "Spin 2, frames 1–24, held 2 s at the end, fades in over 0.5 s."
    round_ = cut_of((held.model_copy(update={"length": 60, "hold_after": 0, "fade_in": 0}),), (30, 1))
    assert clip_says(lay_out_cut(round_)[0], FILMS["spin"], 1, round_) == "Spin 2, 2 rounds."
    assert "Takes of 24/s keep their pace" in cut_says(round_, {"spin": FILMS["spin"]})


def test_ten_thousand_clips_are_laid_and_edited() -> None:
    cut = cut_of(tuple(Clip(id=f"c{i}", take_id="spin", length=3, cross=1) for i in range(10_000)))
    assert total(cut) == 30_000 - 9_999
    moved = apply_edit(cut, Carry(clip="c9999", to=0), FILMS)
    assert [c.id for c in moved.clips[:2]] == ["c9999", "c0"]
    assert clips_at(lay_out_cut(moved), FILMS, Fraction(24), 19_999)[0].clip.id == "c9998"


def test_impossible_edits_are_refused_in_a_sentence() -> None:
    cut = cut_of((Clip(id="a", length=5), Clip(id="b", length=5)))
    for edit, says in (
        (SetValues(values={"clips/a/length": 0}), "Plays"),
        (SetValues(values={"clips/zz/length": 3}), "nothing at"),
        (SetValues(values={"width": 641}), "Width"),
        (Join(clip="b"), "last clip"),
        (TakeOut(path="clips/none"), "nothing at"),
        (AddClip(take_id="none"), "no such take"),
        (Join(clip="a"), "does not go on"),
    ):
        with pytest.raises(ChangeError, match=says):
            apply_edit(cut, edit, FILMS)


def test_a_take_is_replaced_and_the_cut_stays() -> None:
    """A clip that shows all of its take shows all of the new one; trims, framings and names of others stay."""
    whole = Clip(id="a", name="Spin 1", take_id="spin", length=24)
    part = Clip(id="b", name="Close", take_id="spin", begin=5, length=9, speed=0.5, hold_after=4)
    other = Clip(id="c", name="Still", take_id="still", length=3)
    cut = cut_of((whole, part, other), titles=(Title(id="t", text="x", clip_id="b", start=2, length=5),))
    edit = ReplaceTake(clip="a", take_id="push", name="Push 2", old_name="Spin 1")
    one = apply_edit(cut, edit, FILMS)
    assert one.clips[0] == whole.model_copy(update={"take_id": "push", "name": "Push 2", "length": 6})  # 7 of 29.97/s
    assert one.clips[1:] == cut.clips[1:]
    every = apply_edit(cut, edit.model_copy(update={"every": True}), FILMS)
    assert every.clips[1] == part.model_copy(update={"take_id": "push"})
    assert every.clips[2] == other
    assert every.titles == cut.titles
    with pytest.raises(ChangeError, match="no such take"):
        apply_edit(cut, ReplaceTake(clip="a", take_id="gone"), FILMS)
    with pytest.raises(ChangeError, match="shows no take"):
        apply_edit(cut_of((Clip(id="card", length=4),)), ReplaceTake(clip="card", take_id="spin"), FILMS)
