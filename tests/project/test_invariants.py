"""The four invariants of the document, tried with random edits, scans, cancels, undos and reopenings.

1. Only a person's decision makes a pixel less covered than it was. 2. Undo then redo gives the same value, and undo and
   evidence leave each other alone. 3. Saving and loading gives an equal project. 4. What is accepted stays so only for
   what was looked at.
"""

import tempfile
import unittest
from pathlib import Path as FilePath

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule

from skiagraph.errors import EditRefused
from skiagraph.footage.scanning import Arrival
from skiagraph.project import cast, copying, edits, file, levels, outlines, presence
from skiagraph.project.carry import CARRY, adopted
from skiagraph.project.history import History
from skiagraph.project.model import Answer, Cover, Decision, Outline, Project, Reach, Style, replace
from skiagraph.project.overlap import head_points
from skiagraph.project.rows import outline_at
from skiagraph.review.finding import Finding
from skiagraph.review.findings import acceptance_of, is_accepted
from skiagraph.shape.pointed import as_kind
from skiagraph.shape.shape import Shape
from tests.project.worlds import FRAMES, LOOKED_AT, covered_heads, hidden_share, scan_of, world

people = st.integers(0, 3)
frames = st.integers(0, FRAMES - 1)
stretches = st.lists(
    st.tuples(people, frames, frames, st.floats(-3, 3)).map(lambda s: (s[0], min(s[1], s[2]), max(s[1], s[2]), s[3])),
    min_size=1,
    max_size=6,
)
outline_moves = st.tuples(st.floats(-15, 15), st.floats(-10, 10), st.floats(0.7, 1.6), st.floats(-170, 170))


class Desk(RuleBasedStateMachine):
    """A person at work with machines beside them. A scan that runs is shown as a view and is no part of the project."""

    @initialize()
    def open(self):
        self.history = History(world())
        self.running: tuple[Arrival, object] | None = None
        self.covers = covered_heads(self.shown)
        self.by_person = False
        # Frames in which a person took a cover off: a sighting that is gone leaves no other trace.
        self.taken_off: set[int] = set()

    @property
    def shown(self) -> Project:
        base = self.history.project
        if self.running is None:
            return base
        return self.running[0].seen(base, self.running[1])[0]

    def subject(self, data):
        known = [s.key for s in self.shown.subjects]
        return data.draw(st.sampled_from(known)) if known else None

    def edit(self, function, *arguments):
        """An edit as the window makes it: on what is shown, kept on what is settled."""
        base, view = self.history.project, self.shown
        try:
            changed = function(view, *arguments)
        except EditRefused:
            return
        changed = changed[0] if isinstance(changed, tuple) else changed
        self.history.apply(function.__name__, adopted(base, view, changed) if view is not base else changed)
        self.by_person = True

    # People

    @rule(data=st.data(), decision=st.sampled_from(Decision))
    def decide(self, data, decision):
        if (key := self.subject(data)) is not None:
            self.edit(cast.decide, [key], decision)

    @rule(data=st.data(), frame=frames, move=outline_moves, reach=st.sampled_from(Reach))
    def move(self, data, frame, move, reach):
        key = self.subject(data)
        sighting = presence.sighting_at(self.shown.subject(key), "c1", frame) if key else None
        if sighting is not None:
            now = outline_at(self.shown, sighting, frame)
            dx, dy, factor, turn = move
            self.edit(
                outlines.move_outline,
                key,
                "c1",
                frame,
                Outline.at(now.cx + dx, now.cy + dy, now.width * factor, now.height * factor, now.angle + turn),
                reach,
            )

    @rule(data=st.data(), frame=frames)
    def keyframe(self, data, frame):
        if (key := self.subject(data)) is not None:
            self.edit(outlines.keyframe_here, key, "c1", frame)

    @rule(data=st.data(), inside=frames, first=frames, last=frames)
    def trim(self, data, inside, first, last):
        if (key := self.subject(data)) is not None:
            self.edit(presence.trim_sighting, key, "c1", inside, first, last)

    @rule(frame=frames, cx=st.floats(0, 480), cy=st.floats(0, 200))
    def draw(self, frame, cx, cy):
        self.edit(outlines.add_subject, "c1", frame, Outline.at(cx, cy, 30, 40))

    @rule(data=st.data())
    def rename(self, data):
        if (key := self.subject(data)) is not None:
            self.edit(edits.rename, key, "Clerk")

    @rule(data=st.data(), frame=frames)
    def split(self, data, frame):
        if (key := self.subject(data)) is not None:
            self.edit(cast.split_at, key, "c1", frame)

    @rule(data=st.data())
    def merge(self, data):
        """Merging is a person's, but uncovers nothing."""
        one, other = self.subject(data), self.subject(data)
        if one is not None and one != other:
            self.edit(cast.merge_subjects, one, [other])
            self.by_person = False

    @rule(data=st.data(), frame=frames, joining=st.booleans())
    def part_and_join(self, data, frame, joining):
        """Both are a person's, but uncover nothing."""
        if (key := self.subject(data)) is not None:
            self.edit(presence.join_sightings if joining else presence.split_sighting, key, "c1", frame)
            self.by_person = False

    @rule(data=st.data(), frame=frames)
    def copy(self, data, frame):
        """What somebody has stays, whatever is copied to them."""
        one, other = self.subject(data), self.subject(data)
        sighting = presence.sighting_at(self.shown.subject(one), "c1", frame) if one else None
        if sighting is not None:
            self.edit(copying.with_sighting, other, "c1", frame, copying.copied_sighting(self.shown, one, "c1", frame))
            self.by_person = False

    @rule(data=st.data(), frame=frames, cx=st.floats(0, 480), cy=st.floats(0, 200), everybody=st.booleans())
    def hold_out(self, data, frame, cx, cy, everybody):
        key = self.subject(data)
        self.edit(
            outlines.add_holdout, "c1", frame, Outline.at(cx, cy, 40, 40), None if everybody or key is None else [key]
        )

    @rule(data=st.data(), frame=frames, kind=st.sampled_from(sorted(Shape.kinds)), reach=st.sampled_from(Reach))
    def reshape(self, data, frame, kind, reach):
        key = self.subject(data)
        sighting = presence.sighting_at(self.shown.subject(key), "c1", frame) if key else None
        if sighting is not None:
            self.edit(outlines.set_shape, key, "c1", frame, as_kind(sighting.shape_at(frame), kind), reach)

    @rule(data=st.data(), frame=frames, margin=st.floats(0, 1), reach=st.sampled_from(Reach))
    def widen(self, data, frame, margin, reach):
        if (key := self.subject(data)) is not None:
            style = self.shown.style_of(self.shown.subject(key))
            self.edit(levels.set_style_at, key, "c1", frame, replace(style, margin=margin), reach)

    @rule(data=st.data(), frame=frames, reach=st.sampled_from(Reach), away=st.booleans())
    def take_off(self, data, frame, reach, away):
        if (key := self.subject(data)) is not None:
            before = {(at, of) for at, of, _ in covered_heads(self.shown)}
            self.edit(
                *((presence.declare_absent, key, "c1", frame) if away else (levels.switch_off, key, "c1", frame, reach))
            )
            self.taken_off |= {at for at, of in before - {(at, of) for at, of, _ in covered_heads(self.shown)}}

    @rule(data=st.data(), first=frames, last=frames)
    def clear(self, data, first, last):
        if (key := self.subject(data)) is not None:
            self.edit(outlines.remove_keyframes, key, "c1", min(first, last), max(first, last))

    # Machines

    @rule(seen=stretches, reached=st.integers(1, FRAMES))
    def scan_finds(self, seen, reached):
        if self.running is None:
            self.running = Arrival("c1", 1), scan_of(seen, reached)
        else:
            self.running = self.running[0], scan_of(seen, reached)
            # What was shown of a scan may change while it runs; what is settled may not.
            self.by_person = True
        self.give_out_ids()

    @rule(seen=stretches)
    def scan_ends(self, seen):
        arrival = self.running[0] if self.running else Arrival("c1", 1)
        settled = covered_heads(self.history.project)
        project, carry, _ = arrival.evidence(self.history.project, scan_of(seen))
        self.history.arrive(project, carry)
        self.running = None
        self.assert_covered(settled, "a scan")
        self.by_person = True

    @rule()
    def cancel(self):
        if self.running is not None:
            before = covered_heads(self.history.project)
            self.running = None
            self.assert_covered(before, "cancelling")
            self.by_person = True

    @rule()
    def keep_what_was_found(self):
        if self.running is not None:
            before = covered_heads(self.history.project)
            project, carry, _ = self.running[0].evidence(self.history.project, self.running[1])
            self.history.arrive(project, carry)
            self.running = None
            self.assert_covered(before, "keeping what was found")
            self.by_person = True

    @rule()
    def reopen(self):
        before = self.history.project
        with tempfile.TemporaryDirectory() as folder:
            place = FilePath(folder) / "p.skiagraph"
            file.save(before, place)
            again = file.load(place)
        assert again == before.without_leftovers(), "what is read is what was written"
        heads = covered_heads(before)
        self.history, self.running = History(again), None
        self.assert_covered(heads, "reopening", share=1.0)
        self.by_person = True

    # Undo

    @rule()
    def undo_and_redo(self):
        before, evidence = self.history.project, self.history.project.evidence
        if self.history.undo():
            assert self.history.project.evidence is evidence or self.history.project.evidence == evidence, (
                "undo never changes evidence"
            )
            assert self.history.redo()
            assert self.history.project.decisions == before.decisions, "undo then redo gives the same value"

    @rule()
    def undo(self):
        if self.history.undo():
            self.by_person = True

    @rule()
    def redo(self):
        if self.history.redo():
            self.by_person = True

    def give_out_ids(self):
        view = self.shown
        self.history.learn(
            self.history.project.__class__(
                self.history.project.files, self.history.project.evidence, self.history.project.decisions, view.issued
            )
        )

    # What must hold

    def assert_covered(self, before, what, share=CARRY.still_covered):
        project = self.history.project
        for (frame, key, _), points in before.items():
            if any(s.key == key and not s.is_covered for s in project.subjects):
                continue
            assert hidden_share(project, frame, points) >= share - 1e-9, f"{what} uncovered {key} in frame {frame}"

    @invariant()
    def nothing_is_uncovered_but_by_people(self):
        now = covered_heads(self.shown)
        if not self.by_person:
            for (frame, key, _), points in self.covers.items():
                assert hidden_share(self.shown, frame, points) >= 1 - 1e-9 or self.running, f"{key} in frame {frame}"
        self.covers, self.by_person = now, False

    @invariant()
    def whoever_was_seen_is_covered_unless_somebody_decided(self):
        """At every place of the history: nobody whom the scans found is missing."""
        project = self.history.project
        scan = project.scan_of("c1")
        if scan is None or any(s.begin_set or s.end_set for subject in project.subjects for s in subject.sightings):
            return
        tracks = project.evidence.by_key()
        spoken_of = [g for s in project.subjects if s.is_decided for g in s.in_clip("c1")]
        for person in scan.people:
            for path in (tracks[key].path for key in person.tracks):
                for frame in LOOKED_AT:
                    if (
                        path.first <= frame <= path.last
                        and frame not in self.taken_off
                        and not any(g.touched for s in project.subjects for g in s.in_clip("c1") if g.covers(frame))
                        and not any(g.covers(frame) for g in spoken_of)
                    ):
                        row = path.rows()[frame - path.first].astype(float)
                        assert hidden_share(project, frame, head_points(row[None])[0]) >= CARRY.still_covered, (
                            f"person {person.key} in frame {frame}"
                        )

    @invariant()
    def ids_are_never_given_twice(self):
        project = self.history.project
        keys = [s.key for s in project.subjects]
        assert len(keys) == len(set(keys))
        sightings = [g.key for s in project.subjects for g in s.sightings]
        assert len(sightings) == len(set(sightings))
        assert all(int(k[1:]) <= project.issued.subjects for k in keys)
        assert all(int(k[1:]) <= project.issued.sightings for k in sightings)
        assert len(project.evidence.by_key()) == len(project.evidence.tracks)


DeskTest = Desk.TestCase
DeskTest.settings = settings(max_examples=30, stateful_step_count=20, suppress_health_check=list(HealthCheck))


class ShownTest(unittest.TestCase):
    @given(stretches, stretches)
    @settings(max_examples=40)
    def test_nobody_who_is_shown_gains_a_sighting_that_nobody_decided_about(self, first, second):
        def take(project, seen):
            project, carry, _ = Arrival("c1", 1).evidence(project, scan_of(seen))
            return carry(project)

        project = take(world(), first)
        project = cast.decide(project, [s.key for s in project.subjects], Decision.SHOW)
        before = {s.key: len(s.sightings) for s in project.subjects}
        after = take(project, second)
        for subject in after.subjects:
            if subject.key in before:
                self.assertLessEqual(
                    len({g.tracks[0] for g in subject.sightings if g.tracks}),
                    max(before[subject.key], len(subject.sightings)),
                )
                fresh = [
                    g for g in subject.sightings if g.key not in {s.key for s in project.subject(subject.key).sightings}
                ]
                for sighting in fresh:
                    overlapping = [
                        s
                        for s in project.subject(subject.key).sightings
                        if s.first <= sighting.last and sighting.first <= s.last
                    ]
                    self.assertTrue(overlapping, "a stretch that was never seen of them")
            else:
                self.assertEqual(subject.decision, Decision.UNDECIDED)


class AcceptedTest(unittest.TestCase):
    @given(frames, outline_moves, st.sampled_from(Reach))
    @settings(max_examples=60)
    def test_accepted_only_for_what_was_looked_at(self, frame, move, reach):
        project, carry, _ = Arrival("c1", 1).evidence(world(), scan_of([(0, 0, 79, 0.0)]))
        project = carry(project)
        finding = Finding("c1", "s1", "unsure", 20, 40, 0.1, 30)
        project = edits.accept(project, acceptance_of(project, finding, "Ida"))
        self.assertTrue(is_accepted(project, finding))
        self.assertTrue(is_accepted(project, Finding("c1", "s1", "unsure", 25, 30, 0.1, 30)))
        self.assertFalse(is_accepted(project, Finding("c1", "s1", "unsure", 25, 41, 0.1, 30)))
        sighting = project.subject("s1").sightings[0]
        now = outline_at(project, sighting, frame)
        dx, dy, factor, turn = move
        moved = outlines.move_outline(
            project,
            "s1",
            "c1",
            frame,
            Outline.at(now.cx + dx, now.cy + dy, now.width * factor, now.height * factor, now.angle + turn),
            reach,
        )
        there = moved.subject("s1").sightings[0]
        most = max(
            max(
                abs(a - b)
                for a, b in zip(outline_at(project, sighting, f).place.row(), outline_at(moved, there, f).place.row())
            )
            for f in range(20, 41, 2)
        )
        if most == 0:
            self.assertTrue(is_accepted(moved, finding))
        elif most > 8:
            self.assertFalse(is_accepted(moved, finding))


class MergedStyleTest(unittest.TestCase):
    def test_merging_covers_no_less_far(self):
        project, carry, _ = Arrival("c1", 1).evidence(world(), scan_of([(0, 0, 30, 0.0), (1, 40, 79, 0.0)]))
        project = edits.set_style(carry(project), "s2", Style.of(Cover.kinds["blur"](), 0.6, 0.3))
        merged = cast.merge_subjects(project, "s1", ["s2"])
        self.assertEqual(
            (merged.style_of(merged.subject("s1")).margin, merged.style_of(merged.subject("s1")).cover.kind),
            (0.6, "dissolve"),
        )
        self.assertEqual(cast.answer(project, "s1", "s2", Answer.NO).subject("s1").style, None)
