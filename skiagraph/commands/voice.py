"""The command about voices: listening, who speaks, what of the sound is disguised and how."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path

from skiagraph.commands.shared import OK, chosen_clips, end_of_bar, load, positive


def add_commands(command: Callable) -> None:
    """Add them. command: makes a parser of (name, what to run, help)."""
    voice = command(
        "voice",
        run_voice,
        "Say what of the sound of a project is disguised, and change it; export, render and handover take it along."
        " Without anything else it lists who speaks and what is disguised.",
    )
    voice.formatter_class = argparse.RawDescriptionHelpFormatter
    voice.epilog = _styles()
    voice.add_argument("project", metavar="PROJECT", type=Path)
    voice.add_argument("--clip", metavar="NAME", help="the clip of this file name, when the project has several")
    voice.add_argument("--listen", action="store_true", help="listen again to who speaks when")
    voice.add_argument(
        "--range",
        dest="ranges",
        metavar="FROM-TO",
        action="append",
        default=[],
        help="disguise from one timecode or frame to another, that included; several times for several ranges",
    )
    voice.add_argument("--whole", action="store_true", help="disguise all of the clip")
    voice.add_argument(
        "--said-by",
        metavar="WHO",
        action="append",
        default=[],
        help="disguise all that a voice says (v1 …), or a subject by name as far as is known; several times",
    )
    voice.add_argument(
        "--is",
        dest="names",
        metavar="VOICE=NAME",
        action="append",
        default=[],
        help=(
            "say whose voice it is, as v2=Deckhand; with nothing after the sign: nobody of the register, who may be"
            " heard"
        ),
    )
    voice.add_argument("--subject", metavar="NAME", help="whose voice the ranges are")
    voice.add_argument(
        "--style",
        metavar="STYLE",
        help="how these ranges are disguised, as deeper:pitch=3 (default: as the project disguises)",
    )
    voice.add_argument(
        "--all-like", metavar="STYLE", help="how the project disguises where a range says nothing of its own"
    )
    voice.add_argument("--track", metavar="N", type=positive, default=0, help="only this sound track (default all)")
    voice.add_argument(
        "--channel", metavar="N", type=positive, default=0, help="only this channel of the track (default all)"
    )
    voice.add_argument("--anew", metavar="KEY", action="append", default=[], help="draw other lots for a range (r1 …)")
    voice.add_argument(
        "--leave", metavar="KEY", action="append", default=[], help="leave a range as it was recorded (r1 …, or all)"
    )


def _styles() -> str:
    return (
        "styles: altered (the usual), whisper, flat, deeper, higher, silence, tone, room; parameters stand behind a"
        " colon, as deeper:pitch=3,formants=2"
    )


def run_voice(options, control) -> int:
    from skiagraph.project import file
    from skiagraph.project.lock import ProjectLock

    changes = (
        options.listen
        or options.ranges
        or options.whole
        or options.said_by
        or options.names
        or options.all_like
        or options.anew
        or options.leave
    )
    if not changes:
        project = load(options.project)
        for clip in chosen_clips(project, options.clip):
            _print(project, clip)
        return OK
    with ProjectLock.take(options.project):
        project = _changed(options, load(options.project), control)
        file.save(project, options.project)
    end_of_bar(control)
    for clip in chosen_clips(project, options.clip):
        _print(project, clip)
    return OK


def _changed(options, project, control):
    from skiagraph.errors import SkiagraphError
    from skiagraph.footage.listening import listen_to
    from skiagraph.project import voices

    clips = chosen_clips(project, options.clip)
    if not clips:
        raise SkiagraphError(f"{options.project.name} has no clips; scan one first.", path=options.project)
    if options.listen:
        for clip in clips:
            project = voices.take_listening(project, listen_to(project, clip.key, control))
    if options.all_like:
        project = voices.set_usual_disguise(project, _style(options.all_like))
    for entry in options.names:
        voice, sign, name = entry.partition("=")
        if not sign:
            raise SkiagraphError(f"“{entry}” says nothing of a voice; write it as v1=NAME.")
        _voice(project, voice.strip())
        project = voices.name_speaker(project, voice.strip(), _subject(project, name.strip()) if name.strip() else "")
    for key in options.anew:
        project = voices.draw_anew(project, [key])
    if "all" in options.leave:
        project = voices.remove_ranges(project, [v.key for clip in clips for v in voices.ranges_in(project, clip.key)])
    elif options.leave:
        project = voices.remove_ranges(project, options.leave)
    if options.ranges or options.whole or options.said_by:
        if len(clips) != 1:
            raise SkiagraphError(
                f"{options.project.name} has {len(clips)} clips; say which with --clip.", path=options.project
            )
        project = _disguised(options, project, clips[0], control)
    return project


def _disguised(options, project, clip, control):
    from skiagraph.errors import SkiagraphError
    from skiagraph.footage.source import open_source
    from skiagraph.project import voices
    from skiagraph.review.who_speaks import voices_of
    from skiagraph.timecode import Timecode

    info, index = open_source(clip, control)
    if not info.sound:
        raise SkiagraphError(f"{clip.path.name} has no sound, so there is nothing to disguise.", path=clip.path)
    if options.track > len(info.sound):
        raise SkiagraphError(
            f"{clip.path.name} has {len(info.sound)} sound track{'s' if len(info.sound) > 1 else ''}; there is no track"
            f" {options.track}.",
            path=clip.path,
        )
    most = info.sound[options.track - 1].channels if options.track else max(s.channels for s in info.sound)
    if options.channel > most:
        raise SkiagraphError(
            f"There {'are' if most > 1 else 'is'} {most} channel{'s' if most > 1 else ''} there; there is no channel"
            f" {options.channel}.",
            path=clip.path,
        )
    style = _style(options.style) if options.style else None
    subject = _subject(project, options.subject) if options.subject else ""
    counted = Timecode.of(clip.rate, clip.timecode)
    spans = []
    for text in options.ranges:
        first, sign, last = text.partition("-")
        if not sign:
            raise SkiagraphError(f"“{text}” is no range; write it as {counted.text(75)}-{counted.text(237)}.")
        a, b = counted.frame(first), counted.frame(last)
        if not 0 <= a <= b < clip.frames:
            raise SkiagraphError(
                f"“{text}” is not in {clip.path.name}, which runs from {counted.text(0)} to"
                f" {counted.text(clip.frames - 1)}.",
                path=clip.path,
            )
        spans.append((index.time_s(a), index.time_s(b + 1)))
    if options.whole:
        # Sound may begin before the picture and end after it.
        spans.append((-60.0, index.time_s(clip.frames) + 3600.0))
    for begins, ends in spans:
        project = voices.add_range(project, clip.key, begins, ends, subject, options.track, options.channel, style)
    for who in options.said_by:
        if any(v.key == who for one in project.evidence.listenings for v in one.voices):
            said, owner = [_voice(project, who)], subject or voices.said_speaker(project, who) or ""
        else:
            owner = _subject(project, who)
            said = voices_of(project, clip.key, owner)
            if not said:
                raise SkiagraphError(
                    f"Nobody knows what {who} says in {clip.path.name}; say whose voice it is with --is."
                )
        project = voices.disguise_voices(project, clip.key, said, owner, style)
    return project


def _style(text: str):
    import skiagraph.voice  # noqa: F401  every disguise
    from skiagraph.cover.spoken import said_of
    from skiagraph.voice.disguise import Disguise

    return said_of(text, Disguise, "way to disguise a voice")


def _subject(project, name: str) -> str:
    from skiagraph.errors import SkiagraphError

    found = next((s for s in project.subjects if s.name == name or s.key == name), None)
    if found is None:
        raise SkiagraphError(
            f"There is nobody called “{name}” in the project; there are"
            f" {', '.join(s.name for s in project.subjects[:8]) or 'no subjects'}."
        )
    return found.key


def _voice(project, key: str):
    from skiagraph.errors import SkiagraphError

    found = {v.key: v for one in project.evidence.listenings for v in one.voices}
    if key not in found:
        raise SkiagraphError(
            f"There is no voice {key}; there are {', '.join(found) or 'none: listen first, with --listen'}."
        )
    return found[key]


def _print(project, clip) -> None:
    from skiagraph.cover.spoken import shown
    from skiagraph.project.voices import ranges_in
    from skiagraph.review.who_speaks import name_of, who_speaks
    from skiagraph.timecode import Timecode
    from skiagraph.values import parameters

    counted, rate = Timecode.of(clip.rate, clip.timecode), float(clip.rate)
    listening = project.evidence.listening_of(clip.key)
    print(
        f"{clip.path.name}: "
        + (
            "not listened to; do so with --listen"
            if listening is None
            else (
                f"{len(listening.voices)} voice{'s' if len(listening.voices) != 1 else ''}"
                if listening.voices
                else "nobody speaks, as far as can be heard"
            )
        )
    )
    for speaks in who_speaks(project, clip.key):
        places = ", ".join(f"{counted.text(s.first)} to {counted.text(s.last)}" for s in speaks.voice.speech[:4]) + (
            " …" if len(speaks.voice.speech) > 4 else ""
        )
        who = (
            "nobody of the register"
            if speaks.free
            else (
                name_of(project, speaks) + ("" if speaks.said or not speaks.subject else ", as far as can be told")
                if speaks.subject
                else "nobody said whose"
            )
        )
        print(f"  {speaks.voice.key}  {who}, {speaks.voice.length_s:.1f} s: {places}")
    names = {s.key: s.name for s in project.subjects}
    for one in ranges_in(project, clip.key):
        way = project.disguise_of(one)
        said = [
            f"{p.name}={shown(p, getattr(way, p.name))}"
            for p in parameters(type(way))
            if getattr(way, p.name) != p.default
        ]
        first, last = max(0, round(one.begins_s * rate)), min(clip.frames, round(one.ends_s * rate)) - 1
        place = (f", track {one.track}" if one.track else "") + (f", channel {one.channel}" if one.channel else "")
        print(
            f"  {one.key}  {counted.text(first)} to {counted.text(last)} "
            f" {way.kind}{':' + ','.join(said) if said else ''}{place}  {names.get(one.subject, 'nobody’s')}"
        )
