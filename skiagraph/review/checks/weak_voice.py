"""A disguise of a voice that is undone or seen through easily."""

from __future__ import annotations

from skiagraph.project.voices import ranges_in, set_disguise
from skiagraph.project.voicing import usual_disguise
from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind


@finding_kind
class WeakVoice(FindingKind):
    reason, word, exposing = Reason.WEAK_VOICE, "Voice too weak", True
    of_sound = True
    remedy = "Make safe"

    def on_scene(self, scene):
        rate = float(scene.clip.rate)
        for one in ranges_in(scene.project, scene.clip.key):
            if scene.project.disguise_of(one).weak:
                first, last = (min(scene.clip.frames - 1, max(0, round(t * rate))) for t in (one.begins_s, one.ends_s))
                yield Finding(scene.clip.key, one.subject, self.reason, first, last, round(one.length_s, 2), first)

    def _range(self, project, finding):
        rate, frames = float(project.clip(finding.clip).rate), project.clip(finding.clip).frames
        return [
            r
            for r in ranges_in(project, finding.clip)
            if project.disguise_of(r).weak
            and r.subject == finding.subject
            and min(frames - 1, max(0, round(r.begins_s * rate))) == finding.first
        ]

    def remedied(self, project, finding):
        """Disguised as a new project disguises."""
        return set_disguise(project, [r.key for r in self._range(project, finding)], usual_disguise())

    def sentence(self, project, finding, told):
        found = self._range(project, finding)
        word = project.disguise_of(found[0]).word.lower() if found else "so"
        whose = f"The voice of {told.name}" if told.name else "A voice"
        return (
            f"{whose} is only made {word} from {told.first} to {told.last}, which is undone easily and known by whoever"
            " knows the speaker. Alter it, or accept that."
        )
