"""The one command's words and options."""

from __future__ import annotations

import argparse
import os
import sys

from . import Refusal

DESCRIPTION = """Bruvet: side-by-side barbecue trials.

  ./bruvet demo                 install what is needed, load an invented kitchen's trials, serve them
  ./bruvet serve                the same without demo data; the first visit makes the owner's account
                                (--lan: phones on the home network too)
  ./bruvet import TRIAL FILE    bring a logger file into a trial (--check FILE: only say what is in it)
  ./bruvet import BUNDLE.json   bring in a whole trial that another Bruvet took out (--copy: although it is here)
  ./bruvet export TRIAL         a whole trial as one JSON file (--to FILE)
  ./bruvet backup FILE          everything, to one file (--restore: put it into a database that is still empty)
  ./bruvet stall FILE.csv       find the stalls in curves of your own, as JSON
  ./bruvet twin COOK.json       tell a cook ahead: temperatures, finish, stall, yield, as JSON
  ./bruvet panel TASTING.json   what a tasting shows: tests of two, ranks, scores, serving orders, as JSON
  ./bruvet station --token T    a simulated thermometer station that delivers readings (--help: its faults)
  ./bruvet receive              a stand-in for whatever takes warnings by webhook
  ./bruvet test                 lint, types and all tests
  ./bruvet retain               how many readings are kept; --months gives up old ones, their half minutes stay
  ./bruvet bench                measured ratios
  ./bruvet shots                remake docs/screenshots

State is kept in BRUVET_HOME; DATABASE_URL uses a PostgreSQL server of your own."""


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="./bruvet", description=DESCRIPTION, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    verbs = parser.add_subparsers(dest="verb", metavar="COMMAND")
    for verb in ("demo", "serve"):
        one = verbs.add_parser(verb)
        one.add_argument("--port", type=int, default=8600)
        if verb == "serve":
            one.add_argument(
                "--lan", action="store_true", help="listen on the home network too, for phones in the yard"
            )
    test = verbs.add_parser("test")
    test.add_argument("rest", nargs=argparse.REMAINDER, help="passed to pytest")
    bench = verbs.add_parser("bench")
    bench.add_argument("names", nargs="*", help="only these benches")
    verbs.add_parser("shots")
    stall = verbs.add_parser("stall")
    stall.add_argument("file")
    twin = verbs.add_parser("twin")
    twin.add_argument("file", metavar="COOK.json")
    panel = verbs.add_parser("panel")
    panel.add_argument("file", metavar="TASTING.json")
    take = verbs.add_parser("export")
    take.add_argument("trial", help="number or title of the trial")
    take.add_argument("--to", metavar="FILE", help="write it there instead of printing it")
    take.add_argument("--demo", action="store_true", help="from the demo's database")
    backup = verbs.add_parser("backup")
    backup.add_argument("file")
    backup.add_argument("--restore", action="store_true", help="put it into a database that is still empty")
    backup.add_argument("--demo", action="store_true", help="the demo's database")
    station = verbs.add_parser("station")
    # Its options name cuts and cookers, which take longer to load than most commands to run.
    if sys.argv[1:2] == ["station"]:
        from .standing_in import describe

        describe(station)
    receiver = verbs.add_parser("receive")
    receiver.add_argument("--port", type=int, default=8620)
    bring = verbs.add_parser("import")
    bring.add_argument(
        "words", nargs="*", metavar="TRIAL FILE", help="number or title of the trial, then the log; or a bundle alone"
    )
    bring.add_argument("--check", metavar="FILE", help="save nothing; print what was understood as JSON")
    bring.add_argument("--date", help="date that times without one begin on, as 2026-05-02")
    bring.add_argument("--tz", help="time zone of clock times without one")
    bring.add_argument("--zero", help="when an elapsed log began, as '2026-05-02 05:30'")
    bring.add_argument("--order", choices=["day", "month"], help="how all-number dates are written")
    bring.add_argument(
        "--map",
        action="append",
        default=[],
        metavar="COLUMN=TARGET",
        help="'Probe 1=A pit', 'Probe 2=A1 middle'; add :f or :c for its unit, as 'Probe 2=A1 middle:f'",
    )
    bring.add_argument("--copy", action="store_true", help="a bundle's trial although it is here already")
    bring.add_argument("--demo", action="store_true", help="into the demo's database")
    keep = verbs.add_parser("retain")
    keep.add_argument("--months", type=int, help="give up readings of quarters that ended longer ago than this")
    keep.add_argument("--yes", action="store_true", help="do it; it cannot be undone")
    verbs.add_parser("help")
    return parser


def _run(given: argparse.Namespace, parser: argparse.ArgumentParser) -> int:
    match given.verb:
        case "demo" | "serve":
            from .serving import serve

            serve(given.port, given.verb == "demo", getattr(given, "lan", False))
        case "receive":
            from .receiving import receive

            receive(given.port)
        case "stall":
            from . import answers

            answers.show(answers.stall(given.file))
        case "twin":
            from . import answers

            answers.show(answers.twin(given.file))
        case "station":
            from .standing_in import stand_in

            stand_in(given)
        case "panel":
            from . import answers

            answers.show(answers.panel(given.file))
        case "export":
            from .taking import take_out

            take_out(given.trial, given.to, given.demo)
        case "backup":
            from .taking import back_up

            back_up(given.file, given.restore, given.demo)
        case "import":
            if len(given.words) == 1 and not given.check:
                from .taking import bring_bundle

                bring_bundle(given.words[0], given.demo, given.copy)
            elif given.check:
                from . import answers

                answers.show(answers.import_check(given.check, given.date, given.tz or "UTC"))
            else:
                from .bringing import bring_in

                bring_in(given)
        case "test":
            from .testing import run_tests

            return run_tests(given.rest)
        case "bench":
            from .benching import run_benches

            run_benches(given.names)
        case "retain":
            from .retaining import retain

            retain(given.months, given.yes)
        case "shots":
            from .shooting import shoot

            shoot()
        case _:
            parser.print_help()
    return 0


def main() -> int:
    parser = _parser()
    given = parser.parse_args()
    try:
        return _run(given, parser)
    except Refusal as refusal:
        print(f"bruvet: {refusal}", file=sys.stderr)
        return 2 if given.verb in ("stall", "twin", "panel", "import", "export") else 1
    except KeyboardInterrupt:
        print("\nStopped.", file=sys.stderr)
        return 130
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0


if __name__ == "__main__":
    sys.exit(main())
