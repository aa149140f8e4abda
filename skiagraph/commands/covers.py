"""The commands about covers: what there is, house styles, versions, and how strong covers are."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from skiagraph.commands.shared import OK, end_of_bar, load


def add_commands(command: Callable) -> None:
    """Add them. command: makes a parser of (name, what to run, help)."""
    styles = command(
        "covers", run_covers, "List the covers and what can be said of each, and the house styles at hand."
    )
    styles.add_argument("kind", metavar="KIND", nargs="?", help="only this cover")

    cover = command(
        "cover",
        run_cover,
        "Say how everybody in a project is covered: by a cover, a house style, or a version of its own.",
    )
    cover.add_argument("project", metavar="PROJECT", type=Path)
    cover.add_argument(
        "--style",
        metavar="COVER",
        help="as “mosaic:blocks=3” or “solid + caption:text=NAME WITHHELD”; `skiagraph covers` lists them",
    )
    cover.add_argument("--margin", metavar="PERCENT", type=float, help="how far it reaches beyond the outline")
    cover.add_argument("--feather", metavar="PERCENT", type=float, help="soft edge outside of that")
    cover.add_argument("--house", metavar="NAME-OR-FILE", help="a house style at hand, or from a file")
    cover.add_argument("--things", metavar="COVER", help="another cover for what is no person; “same” takes it back")
    cover.add_argument(
        "--lead", metavar="SECONDS", type=float, help="how long before each sighting a cover is there already"
    )
    cover.add_argument("--tail", metavar="SECONDS", type=float, help="how long after each sighting a cover is kept")
    cover.add_argument(
        "--rule",
        metavar="RULE",
        action="append",
        help=(
            "what every cover has to keep to, in the place of the rules there are: only:covers=mosaic/solid,"
            " most-blocks:blocks=8, whole-head:margin=14, safe, none; may be given several times"
        ),
    )
    cover.add_argument(
        "--version",
        metavar="NAME",
        help="the version of the project that is meant; a new one is made where there is none of the name",
    )
    cover.add_argument(
        "--everything",
        metavar="CLIP",
        action="append",
        default=[],
        help="cover everything in this clip but those who are shown; may be given several times",
    )
    cover.add_argument("--only-subjects", metavar="CLIP", action="append", default=[], help="take that back")
    cover.add_argument(
        "--save-house", metavar="NAME", help="keep how the project is covered as a house style of this name"
    )
    cover.add_argument(
        "--export-house",
        metavar="FILE",
        type=Path,
        help="write how the project is covered to a file that can be shared",
    )

    house = command("house", run_house, "Take a house style from a file, or say which one new projects begin with.")
    house.add_argument(
        "--import", dest="taken", metavar="FILE", type=Path, help="keep the house style of a file for the present user"
    )
    house.add_argument(
        "--default", metavar="NAME", help="new projects begin with this one; an empty name takes that back"
    )

    strength = command(
        "strength",
        run_strength,
        "Measure how strong the covers of a project are, on its own pictures; exit code 3 when one is too weak.",
    )
    strength.add_argument("project", metavar="PROJECT", type=Path)
    strength.add_argument("--version", metavar="NAME", help="in this version")


def run_covers(options, control) -> int:
    from skiagraph.cover.cover import Cover
    from skiagraph.cover.spoken import covers_of, in_words, told
    from skiagraph.project.house import house_styles

    if options.kind:
        covers_of(options.kind)
    for tag, kind in Cover.kinds.items():
        if options.kind in (None, tag):
            print("\n".join(told(kind)))
    if not options.kind:
        print("\nHouse styles:")
        for style in house_styles():
            rules = "; ".join(rule.sentence() for rule in style.house.rules)
            print(f"  {style.name}: {in_words(style.style)}" + (f" · {rules}" if rules else ""))
    return OK


def run_cover(options, control) -> int:
    from skiagraph.cover.spoken import covers_of, in_words
    from skiagraph.errors import SkiagraphError
    from skiagraph.project import edits, file, housing
    from skiagraph.project.house import house_style_named, keep_house_style, write_house_style
    from skiagraph.project.lock import ProjectLock
    from skiagraph.values import replace

    with ProjectLock.take(options.project):
        project = before = load(options.project)
        if options.version is not None:
            project = (
                housing.in_version(project, options.version)
                if options.version in housing.versions(project)
                else housing.add_version(project, options.version)
            )
        if options.house:
            project = housing.use_house_style(project, house_style_named(options.house))
        if options.style:
            project = edits.set_style_for_all(project, replace(project.style, covers=covers_of(options.style)))
        for name in ("margin", "feather"):
            share = getattr(options, name)
            if share is not None:
                if not 0 <= share <= 300:
                    raise SkiagraphError(f"--{name} is a share of the head from 0 to 300 per cent, not {share:g}.")
                project = edits.set_style_for_all(project, replace(project.style, **{name: share / 100}))
        project = project.deciding(house=_house(project, options))
        for name, change in ((options.everything, housing.cover_rest), (options.only_subjects, housing.uncover_rest)):
            for wanted in name:
                clip = next((c for c in project.clips if c.path.name == wanted), None)
                if clip is None:
                    raise SkiagraphError(
                        f"{options.project.name} has no clip {wanted}; it has"
                        f" {', '.join(c.path.name for c in project.clips)}."
                    )
                project = change(project, clip.key)
        if project != before:
            file.save(project, options.project)
    if options.save_house:
        print(
            f"Kept as the house style “{options.save_house}”"
            f" ({keep_house_style(housing.house_style_of(project, options.save_house))})"
        )
    if options.export_house:
        write_house_style(
            housing.house_style_of(project, project.decisions.house.name or options.project.stem), options.export_house
        )
        print(f"Wrote {options.export_house}")
    names = housing.versions(project)
    print(
        f"Covered with {in_words(project.style)}, margin {project.style.margin:.0%}, feather"
        f" {project.style.feather:.0%}"
        + (f", version “{project.decisions.version}” of {len(names)}" if names else "")
        + "."
    )
    return OK


def _house(project, options):
    """The house of a project with what the options say of it."""
    from skiagraph.cover.spoken import covers_of, said_of
    from skiagraph.errors import SkiagraphError
    from skiagraph.project.rule import Rule
    from skiagraph.values import replace

    house = project.decisions.house
    for name, seconds in (("lead", options.lead), ("tail", options.tail)):
        if seconds is not None:
            if not 0 <= seconds <= 10:
                raise SkiagraphError(f"--{name} is from 0 to 10 seconds, not {seconds:g}.")
            house = replace(house, **{f"{name}_s": seconds})
    if options.things:
        others = {kind: style for kind, style in house.by_kind.items() if kind != "thing"}
        house = replace(
            house,
            by_kind=(
                others
                if options.things == "same"
                else {**others, "thing": replace(project.style, covers=covers_of(options.things))}
            ),
        )
    if options.rule:
        house = replace(house, rules=tuple(said_of(text, Rule, "rule") for text in options.rule if text != "none"))
    return house


def restyled(project, options):
    """A project as the options of an export want it covered, and the names of the versions that are meant: none where
    there are none."""
    from skiagraph.cover.spoken import covers_of
    from skiagraph.errors import SkiagraphError
    from skiagraph.project import edits, housing
    from skiagraph.project.house import house_style_named
    from skiagraph.values import replace

    versions: list[str] = []
    if options.version == "all":
        versions = housing.versions(project)
        if not versions:
            raise SkiagraphError(
                f"{options.project.name} has no versions; make one with `skiagraph cover --version NAME`.",
                path=options.project,
            )
        if options.house or options.style:
            raise SkiagraphError(
                "Versions have their own covers; choose one of them, or leave out --house and --style."
            )
    elif options.version:
        project = housing.in_version(project, options.version)
    if options.house:
        project = housing.use_house_style(project, house_style_named(options.house))
    if options.style:
        project = edits.set_style_for_all(project, replace(project.style, covers=covers_of(options.style)))
    return project, versions


def run_house(options, control) -> int:
    from skiagraph.project.house import default_house_style, keep_house_style, read_house_style, set_default_house_style

    if options.taken:
        style = read_house_style(options.taken)
        print(f"Kept the house style “{style.name}” ({keep_house_style(style)})")
    if options.default is not None:
        set_default_house_style(options.default)
    default = default_house_style()
    print(
        f"New projects begin with “{default.name}”."
        if default
        else "New projects begin with the application's own cover."
    )
    return OK


def run_strength(options, control) -> int:
    from skiagraph.cover.strength import Safety
    from skiagraph.project import housing
    from skiagraph.review.strength import measured, verdict

    project = load(options.project)
    if options.version:
        project = housing.in_version(project, options.version)
    weak = 0
    for clip in project.clips:
        for seen in measured(project, clip.key, control=control):
            end_of_bar(control)
            weak += verdict(seen) == Safety.TOO_WEAK
            print(f"{clip.path.name}  {project.subject(seen.subject).name}: {seen.sentence()}")
    return 3 if weak else OK
