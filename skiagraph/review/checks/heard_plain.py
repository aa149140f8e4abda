"""Speech that is heard as it was recorded though its speaker is covered, or disguised elsewhere."""

from __future__ import annotations

from skiagraph.project.model import Project
from skiagraph.project.voices import disguise_voices
from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind
from skiagraph.review.who_speaks import name_of, plain_speech


@finding_kind
class HeardPlain(FindingKind):
    reason, word, exposing = Reason.HEARD_PLAIN, "Heard plain", True
    of_sound = True
    remedy = "Disguise it"

    def on_scene(self, scene):
        for place in plain_speech(scene.project, scene.clip.key):
            first, last = (min(scene.clip.frames - 1, f) for f in (place.first, place.last))
            yield Finding(
                scene.clip.key,
                place.speaks.subject,
                self.reason,
                first,
                last,
                round(place.ends_s - place.begins_s, 2),
                first,
            )

    def _place(self, project: Project, finding: Finding):
        return next(
            (
                p
                for p in plain_speech(project, finding.clip)
                if p.first == finding.first and p.speaks.subject == finding.subject
            ),
            None,
        )

    def remedied(self, project, finding):
        """All that is heard plain of this voice in the clip disguised, as the project disguises."""
        place = self._place(project, finding)
        return disguise_voices(project, finding.clip, [place.speaks.voice], place.speaks.subject) if place else project

    def sentence(self, project, finding, told):
        place = self._place(project, finding)
        if place is None:
            return f"Speech is heard plain at {told.first}. Disguise it, or accept if it may be heard."
        name = name_of(project, place.speaks)
        if place.why == "elsewhere":
            return (
                f"This voice ({name}) is disguised elsewhere and heard plain from {told.first} to {told.last}. Disguise"
                " it here too, or accept if it may be heard."
            )
        if place.why == "covered":
            sure = "" if place.speaks.said else ", as far as can be told"
            return (
                f"{name} is covered and heard plain from {told.first} to {told.last}{sure}. Disguise the voice, or"
                " accept if it may be heard."
            )
        return (
            f"{name} is heard plain from {told.first} to {told.last} and may be of somebody covered. Say who speaks,"
            " disguise it, or accept if it may be heard."
        )
