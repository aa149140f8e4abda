"""A cover that breaks a rule of the house."""

from __future__ import annotations

from skiagraph.project.rows import style_at
from skiagraph.review.finding import Finding, FindingKind, Reason, finding_kind


@finding_kind
class HouseRule(FindingKind):
    reason, word, exposing = Reason.HOUSE_RULE, "House rule", False
    of_cover = True

    def on_scene(self, scene):
        rules = scene.project.decisions.house.rules
        if not rules:
            return
        for subject, sightings in scene.covered():
            style = scene.project.style_of(subject)
            if any(rule.broken(style) for rule in rules):
                first, last = sightings[0].first, max(s.last for s in sightings)
                yield Finding(
                    scene.clip.key, subject.key, self.reason, first, min(last, scene.clip.frames - 1), 0.0, first
                )
                continue
            for sighting in sightings:
                # What is keyed may break it in some frames only.
                marks = [level.frame for level in sighting.levels if level.frame < scene.clip.frames]
                broken = [f for f in marks if any(rule.broken(_here(scene, subject, sighting, f)) for rule in rules)]
                if broken:
                    yield Finding(scene.clip.key, subject.key, self.reason, broken[0], broken[-1], 0.0, broken[0])

    def sentence(self, project, finding, told):
        subject = project.subject(finding.subject)
        style = project.style_of(subject)
        sighting = next((s for s in subject.in_clip(finding.clip) if s.covers(finding.at)), None)
        here = style if sighting is None else style_at(project, subject, sighting, finding.at)
        broken = [said for rule in project.decisions.house.rules if (said := rule.broken(style) or rule.broken(here))]
        house = project.decisions.house.name or "the house"
        return (
            f"{told.name} breaks the rules of {house}: {'; '.join(broken) or 'its cover is keyed otherwise'}. Change"
            " the cover, or accept it."
        )


def _here(scene, subject, sighting, frame):
    style = style_at(scene.project, subject, sighting, frame)
    return type(style)(style.covers, max(0.0, style.margin + float(sighting.level_at(frame)[0])), style.feather)
