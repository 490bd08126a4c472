"""The command line: parts as STEP files, studies, and what a data folder holds. Exit code 0, or 2 with
one clear line."""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Sequence
from typing import NoReturn

from pamble.cli.guarded import guarded
from pamble.core.arrays import jsonable
from pamble.core.errors import PambleError
from pamble.core.tolerances import SEAM_SEARCH

EXIT_CODES = "exit code 0 when done, 2 with one line that says what is wrong"


_EDGE = "a point near an edge, x,y,z; where edges lie together x,y,z@X,Y,Z with a point near the face"


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        raise PambleError(f"{message} (see {self.prog} --help)")


def _parser() -> _Parser:
    parser = _Parser(prog="pamble", description="Blends, checks and demo parts without a screen.", epilog=EXIT_CODES)
    commands = parser.add_subparsers(dest="command", required=True, parser_class=_Parser)

    check = commands.add_parser("check", help="faces, seams and open edges of a STEP file", epilog=EXIT_CODES)
    check.add_argument("file")
    check.add_argument("--json", action="store_true", help="print the figures as JSON")
    check.add_argument("--gap", type=float, help="limit for gaps, mm")
    check.add_argument("--angle", type=float, help="limit for angles, degrees")
    check.add_argument("--curvature", type=float, help="limit for the curvature mismatch, %%")
    check.add_argument("--search", type=float, help="edges closer than this meet, mm")

    blend = commands.add_parser("blend", help="blend two edges of a STEP file", epilog=EXIT_CODES)
    blend.add_argument("file")
    blend.add_argument(
        "--edge",
        action="append",
        required=True,
        metavar="P",
        help="a point near an edge, as x,y,z or x,y,z@X,Y,Z; twice, or once beside a --point",
    )
    blend.add_argument(
        "--point", metavar="P", help="run to a point, as x,y,z or x,y,z@X,Y,Z near a face that it is put onto"
    )
    blend.add_argument("--continuity", default="G2,G2", help="G0 to G3 for each edge, as G2,G2")
    blend.add_argument("--fullness", help="one number for each edge, as 0.9,0.9")
    blend.add_argument("--degree", type=int, default=5, help="degree along the edges, 3 to 9")
    blend.add_argument("--spans", type=int, help="spans along the edges; found if left out")
    blend.add_argument("--ends", choices=["neighbours", "straight", "iso"], default="neighbours")
    blend.add_argument("--chain", action="store_true", help="follow both edges over all faces in which they run on")
    blend.add_argument("--flip", action="store_true", help="pair the edges the other way round")
    blend.add_argument(
        "--level-crest",
        nargs="?",
        const=0.0,
        type=float,
        metavar="H",
        help="hold the crest at one height, mm; as high as it is at the mean if H is left out",
    )
    blend.add_argument("--limit-plane", metavar="P,N", help="a plane that the bulge must not pass, as x,y,z,nx,ny,nz")
    blend.add_argument("--meet-limit", action="store_true", help="find the fullness that just meets the limit")
    blend.add_argument("-o", "--out", required=True, metavar="OUT.step")
    blend.add_argument("--json", action="store_true", help="print the figures as JSON")

    trim = commands.add_parser("trim", help="trim a face of a STEP file by others", epilog=EXIT_CODES)
    trim.add_argument("file")
    trim.add_argument("--face", required=True, metavar="x,y,z", help="a point near the face that is trimmed")
    trim.add_argument(
        "--by", action="append", required=True, metavar="x,y,z", help="a point near a face or curve that cuts; again"
    )
    trim.add_argument(
        "--keep", action="append", required=True, metavar="x,y,z", help="a point on what is kept; again for more"
    )
    trim.add_argument("--along", metavar="x,y,z", help="direction in which curves are projected; square to the face")
    trim.add_argument("--extend", action="store_true", help="carry on a cutter that ends inside the face")
    trim.add_argument("-o", "--out", required=True, metavar="OUT.step")
    trim.add_argument("--json", action="store_true", help="print the new edges' figures as JSON")

    patch = commands.add_parser("patch", help="a patch between edges", epilog=EXIT_CODES)
    patch.add_argument("file")
    patch.add_argument(
        "--edge", action="append", required=True, metavar="P", help=f"{_EDGE}; again for every side, or all its edges"
    )
    patch.add_argument("--continuity", default="G2", help="G0 to G3 for all edges, or for each, as G2,G1,G2,G0")
    patch.add_argument(
        "--layout", default="auto", choices=["auto", "four", "trimmed"],
        help="between four sides: as fits best, with four sides, or trimmed along them",
    )  # fmt: skip
    patch.add_argument(
        "--influence",
        help="length of the arms across the sides over the way to the other side, for all, or each as 1.2,,0.8,1",
    )
    patch.add_argument("--degree", type=int, default=5, choices=range(3, 10), metavar="3..9")
    patch.add_argument(
        "--through", action="append", default=[], metavar="x,y,z", help="a point that the patch passes; again for more"
    )
    patch.add_argument("--spans", help="spans in both directions, or as 2,3; found if left out")
    patch.add_argument("-o", "--out", required=True, metavar="OUT.step")
    patch.add_argument("--json", action="store_true", help="print the figures as JSON")

    match = commands.add_parser("match", help="match a face to its neighbour", epilog=EXIT_CODES)
    match.add_argument("file")
    match.add_argument(
        "--edge", action="append", required=True, metavar="P", help=f"a side that moves, several of one face: {_EDGE}"
    )
    match.add_argument(
        "--to",
        action="append",
        required=True,
        metavar="P",
        help="for each, a point near the neighbour's edge, in the same way",
    )
    match.add_argument("--both", action="store_true", help="the neighbour comes half of the way")
    match.add_argument("--continuity", default="G2", help="G0 to G3")
    match.add_argument("--spread", action="store_true", help="the rows behind give way too; the far ones stay")
    match.add_argument("--most-added", type=int, help="spans that may be put in along the side")
    match.add_argument("-o", "--out", required=True, metavar="OUT.step")
    match.add_argument("--json", action="store_true", help="print the figures as JSON")

    fillet = commands.add_parser("fillet", help="fillet the crease of two faces", epilog=EXIT_CODES)
    fillet.add_argument("file")
    fillet.add_argument("--edge", action="append", default=[], metavar="P", help=f"{_EDGE}; several at once")
    fillet.add_argument(
        "--between", nargs=2, metavar="x,y,z", help="points near two faces that need not touch, in place of an edge"
    )
    radius = "mm; one, or one for each edge; at the start of the edge where --radius-end is given too"
    fillet.add_argument("--radius", type=float, action="extend", nargs="+", default=[], help=radius)
    ending = "mm at the end of the edge, linear between; one, or one for each edge"
    fillet.add_argument("--radius-end", type=float, action="extend", nargs="+", default=[], help=ending)
    fillet.add_argument("--section", default="ball", choices=["ball", "rho", "g2", "g3", "chord"])
    fillet.add_argument("--rho", type=float, default=0.5, help="of a section of that kind, between 0 and 1")
    fillet.add_argument(
        "--radius-at",
        action="append",
        default=[],
        metavar="SHARE=R",
        help="mm at a share of the crease's length, 0 to 1; again for more, on a loop too",
    )
    fillet.add_argument("--gap", action="store_true", help="only cut the faces back; what is between them stays open")
    fillet.add_argument("--chord", type=float, help="width of a section of that kind, mm")
    fillet.add_argument("-o", "--out", required=True, metavar="OUT.step")
    fillet.add_argument("--json", action="store_true", help="print the figures as JSON")

    fill = commands.add_parser("fill", help="fill a hole", epilog=EXIT_CODES)
    fill.add_argument("file")
    fill.add_argument("--at", required=True, metavar="x,y,z", help="a point in the hole")
    fill.add_argument(
        "--continuity", default="G2", help="G0 to G2 to all faces round the hole but those that keep others from it"
    )
    fill.add_argument(
        "--layout", default="auto",
        help="auto, single, four, spokes, corners, two, all, or a layout by name; a wrong one lists them",
    )  # fmt: skip
    fill.add_argument(
        "--cut",
        metavar="auto|N,N",
        help="first trim the faces at corners, so that a hole of five to eight sides has four",
    )
    fill.add_argument("--hub", metavar="x,y,z", help="where the spokes of a layout meet")
    fill.add_argument(
        "--through", action="append", default=[], metavar="x,y,z", help="a point inside that a single patch passes"
    )
    fill.add_argument("--degree", type=int, default=5, choices=range(3, 10), metavar="3..9")
    fill.add_argument("--spans", type=int, choices=range(1, 13), metavar="1..12", help="both ways; found if left out")
    fill.add_argument("--search", type=float, default=SEAM_SEARCH, help="edges closer than this meet, mm")
    fill.add_argument("-o", "--out", required=True, metavar="OUT.step")
    fill.add_argument("--json", action="store_true", help="print the figures as JSON")

    why = commands.add_parser("why", help="why a seam, a blend or a gap is not quiet", epilog=EXIT_CODES)
    why.add_argument("file")
    why.add_argument("--edge", required=True, metavar="P", help=_EDGE)
    why.add_argument("--continuity", help="G0 to G3 that is asked for; found from the figures if left out")
    why.add_argument("--json", action="store_true", help="print the figures as JSON")

    run = commands.add_parser("run", help="build a study file", epilog=EXIT_CODES)
    run.add_argument("file", help="a study as JSON; docs/study-file.md describes it")
    run.add_argument("--set", action="append", default=[], metavar="NAME=VALUE", help="give a dimension another value")
    run.add_argument("-o", "--out", metavar="OUT.step", help="write faces and curves as STEP")
    run.add_argument("--json", action="store_true", help="print what every step made as JSON")

    solve = commands.add_parser("solve", help="reach a measured value by one number of a study", epilog=EXIT_CODES)
    solve.add_argument("file", help="a study as JSON")
    solve.add_argument(
        "--for", dest="wanted", required=True, metavar="NAME=VALUE", help="a step that measures, or step.figure"
    )
    solve.add_argument("--by", required=True, metavar="NAME", help="a dimension, or step.number")
    solve.add_argument("--between", metavar="LOW,HIGH", help="limits of the number")
    solve.add_argument("-o", "--out", metavar="OUT.json", help="write the study with the value found")
    solve.add_argument("--json", action="store_true", help="print what was found as JSON")

    demo = commands.add_parser("demo", help="write a demo part as STEP", epilog=EXIT_CODES)
    demo.add_argument("name", help="its short name, or 'list'")
    demo.add_argument("-o", "--out", metavar="OUT.step")
    demo.add_argument("--json", action="store_true", help="print what was written as JSON")
    backup = commands.add_parser("backup", help="write all studies of a data folder to one file", epilog=EXIT_CODES)
    backup.add_argument("out", metavar="OUT")
    restore = commands.add_parser("restore", help="make a data folder from a backup", epilog=EXIT_CODES)
    restore.add_argument("file")
    account = commands.add_parser("account", help="accounts, for a Pamble reached from elsewhere", epilog=EXIT_CODES)
    account.add_argument("do", choices=["add", "list", "password", "remove"])
    account.add_argument("name", nargs="?")
    account.add_argument("--admin", action="store_true", help="one that sees all studies; passwords are asked for")
    for kept in (backup, restore, account):
        kept.add_argument("--data", default=os.environ.get("PAMBLE_DATA", ".data"), help="the data folder")
        kept.add_argument("--json", action="store_true", help="print what was done as JSON")
    return parser


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command."""
    from pamble.cli import commands
    from pamble.cli.account import account
    from pamble.cli.blend import blend
    from pamble.cli.fill import fill
    from pamble.cli.fillet import fillet
    from pamble.cli.keep import backup, restore
    from pamble.cli.match import match
    from pamble.cli.patch import patch
    from pamble.cli.run import run
    from pamble.cli.solve import solve
    from pamble.cli.trim import trim
    from pamble.cli.why import why

    words = _spaced(sys.argv[1:] if arguments is None else list(arguments))
    try:
        given = _parser().parse_args(words)
        own = {
            "run": run, "trim": trim, "patch": patch, "fill": fill, "fillet": fillet, "match": match, "solve": solve,
            "why": why, "blend": blend, "backup": backup, "restore": restore, "account": account,
        }  # fmt: skip
        work = own[given.command] if given.command in own else getattr(commands, given.command)
        out, text = work(given)
    except PambleError as error:
        print(f"pamble: {error}", file=sys.stderr)
        return 2
    except OSError as error:
        print(f"pamble: {error.filename or ''}: {error.strerror or error}", file=sys.stderr)
        return 2
    print(json.dumps(jsonable(out), indent=1) if given.json else text)
    return 0


def entry() -> int:
    """Run one command in a process that may die."""
    return guarded(main)


def _spaced(words: list[str]) -> list[str]:
    """Let values such as -3,4,5 follow an option though they begin with a minus sign: no option holds a space."""
    return [f" {word}" if word[:1] == "-" and word[1:2].isdigit() else word for word in words]


if __name__ == "__main__":
    sys.exit(entry())
