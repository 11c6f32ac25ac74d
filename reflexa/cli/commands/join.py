"""``reflexa join``: clips in a row."""

from __future__ import annotations

import json
import re
from dataclasses import replace
from pathlib import Path

import click
import msgspec

from reflexa.batch.rigs import load
from reflexa.cli.naming_clips import clip_of, file_and_clip
from reflexa.cli.options import Reading, Talk, Writing, format_of, reading, result, stops, talking_json, writing
from reflexa.errors import RecipeError, misfit
from reflexa.formats import Imported, read
from reflexa.motion.clip import Clip
from reflexa.motion.joining import Seam
from reflexa.output.manifest import Origin, Target
from reflexa.output.write import write
from reflexa.rig import Rig
from reflexa.take import Segment
from reflexa.take.sequence import placed

_FLAGS = {"reversed": "reversed", "mirrored": "mirrored", "in-place": "in_place", "out-of-step": "out_of_step"}
_VALUES = ("first", "last", "speed", "crossfade")
_SAID = re.compile(rf",\s*((?:{'|'.join(_VALUES)})\s*=[^,]*|{'|'.join(_FLAGS)})\s*$")
# Something like it that means nothing, which no name is likely to end with.
_UNKNOWN = re.compile(r",\s*([\w-]+\s*=[^,]*)$")


def segment_from_text(text: str) -> Segment:
    """A segment as the command line names it: ``FILE[#CLIP][,first=N][,last=N][,speed=X][,reversed][,mirrored][,crossfade=N]
    [,in-place][,out-of-step]``. Raises RecipeError."""
    file, said = text, list[str]()
    # What is said of it stands at the end; a comma before that belongs to the name of the file or clip.
    while (found := _SAID.search(file)) is not None:
        file = file[: found.start()]
        said.insert(0, found[1])
    unknown = _UNKNOWN.search(file)
    if unknown is not None and not Path(file.partition("#")[0]).exists():
        said.append(unknown[1])
    path, clip = file_and_clip(file)
    given: dict[str, object] = {"file": path.strip(), "clip": clip.strip()}
    for part in said:
        key, equals, value = (p.strip() for p in part.partition("="))
        if key in _FLAGS and not equals:
            given[_FLAGS[key]] = True
        elif key in _VALUES and equals:
            try:
                given[key] = json.loads(value)
            except ValueError:
                raise RecipeError(f"{value!r} is not a number", place=text) from None
        else:
            known = ", ".join([*(f"{v}=" for v in _VALUES), *_FLAGS])
            raise RecipeError(f"{part!r} is not an option of a segment", place=text, advice=f"Known: {known}.")
    try:
        return msgspec.convert(given, Segment)
    except msgspec.ValidationError as e:
        raise RecipeError(misfit(e)[0], place=text) from None


EXAMPLES = ('reflexa join "clips/walk.bvh" "clips/step-up.glb#step up,first=4,crossfade=8" --out there.glb',)


@click.command("join")
@click.argument("segments", nargs=-1, required=True, metavar="SEGMENT…")
@click.option(
    "--out", required=True, type=click.Path(path_type=Path), help="The file to write. Its suffix sets the format."
)
@click.option("--name", "name", default="", help="The name of the clip. Default: the name of the file.")
@reading
@writing
@talking_json
@stops
def COMMAND(segments: tuple[str, ...], out: Path, name: str, source: Reading, target: Writing, talk: Talk) -> None:
    """Clips one after the other, as one. A segment is FILE[#CLIP][,first=N][,last=N][,speed=X][,reversed][,mirrored]
    [,crossfade=N][,in-place][,out-of-step]: it fades in over the end of the one before over crossfade frames; place and heading
    carry on, and where both walk or run, so does the step."""
    kind = format_of(out)
    chosen = [segment_from_text(s) for s in segments]
    given = load(source.rigs)
    files: dict[str, Imported] = {}

    def known(file: str, clip: str) -> tuple[Clip, Rig]:
        if file not in files:
            document = read(Path(file), source.options)
            files[file] = replace(document, rig=given.known(document.rig))
        return clip_of(files[file], clip), files[file].rig

    clip, rig, seams = placed(chosen, known, name or out.stem)
    first = files[chosen[0].file]
    to = Target(out, kind.name, target.options, target.force, (*map(Path, files), *source.rigs))
    proof = write([clip], rig, to, Origin(first, (), first))
    result(talk, f"{proof.path}: {proof.said}", {**proof.plain, "seams": [_seam(s) for s in seams]})


def _seam(s: Seam) -> dict[str, float]:
    return {
        "first": s.first, "last": s.last, "pose_cm": round(s.pose, 3), "velocity_cm_s": round(s.velocity, 2),
        "jerk_cm_a_frame": round(s.jerk, 3), "elsewhere_cm_a_frame": round(s.elsewhere, 3),
    }  # fmt: skip
