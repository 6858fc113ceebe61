"""The command line: plan and calc need no database; up and test start what they need."""

import argparse
import json
import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from keeve.core.errors import InputError

BAD_INPUT = 2


def main(arguments: Sequence[str]) -> int:
    """Run one command and return its exit status."""
    options = _parser().parse_args(arguments)
    status: int = options.run(options)
    return status


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="./keeve", description="Size, mix, judge, correct and log batches.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    up = commands.add_parser("up", help="start Keeve with its demo data")
    up.add_argument(
        "--host", default="127.0.0.1", help="address to serve on (others than loopback need --cert)"
    )
    up.add_argument("--port", type=int, default=8470, help="port to serve on")
    up.add_argument("--cert", type=Path, help="certificate file (PEM)")
    up.add_argument("--key", type=Path, help="key file of the certificate (PEM)")
    up.add_argument("--workers", type=int, help="worker processes (default: one per processor)")
    up.add_argument("--proxy", metavar="ADDRESS", help="trust forwarded headers from this proxy only")
    up.add_argument("--demo", action="store_true", help="include the demo on a network, with a new password")
    up.add_argument(
        "--backups", metavar="FOLDER", type=Path, help="write a backup here every night, keep fourteen"
    )
    up.add_argument("--closed", action="store_true", help="new accounts by invitation only")
    up.set_defaults(run=_up)

    test = commands.add_parser("test", help="run every check")
    test.add_argument(
        "pytest",
        nargs=argparse.REMAINDER,
        help="only these tests (as pytest takes them), or core: those of the core",
    )
    test.set_defaults(run=_test)

    for name, what, run in (
        ("backup", "write everything into a new file", _backup),
        ("restore", "restore a backup, replacing all data", _restore),
        ("verify", "check a backup by restoring it to a scratch database", _verify),
    ):
        command = commands.add_parser(name, help=what)
        command.add_argument("file", type=Path)
        command.set_defaults(run=run)

    bench = commands.add_parser("benchmark", help="measure speed side by side with a bare baseline")
    bench.add_argument(
        "--day", action="store_true", help="play fifty benches through an eight-hour day in eight minutes"
    )
    bench.set_defaults(run=_bench)

    fit = commands.add_parser(
        "fit-strength", help="fit the strength law to the open data and say how well it holds"
    )
    fit.add_argument("--write", action="store_true", help="write the coefficients the rules use")
    fit.set_defaults(run=_fit_strength)

    plan = commands.add_parser("plan", help="print the plan of a job file")
    plan.add_argument("file", type=Path, help="a job file; - for standard input")
    plan.add_argument("--json", action="store_true", help="as JSON")
    plan.set_defaults(run=_plan)

    calc = commands.add_parser("calc", help="run a rule: JSON on standard input, JSON on standard output")
    calc.add_argument("rule", help="the rule's id")
    calc.set_defaults(run=_calc)

    device = commands.add_parser("device-bundle", help="write what a phone runs without signal into a file")
    device.add_argument("file", type=Path)
    device.set_defaults(run=_device_bundle)
    schemas = commands.add_parser("schemas", help="write the JSON Schemas and the error codes into docs/")
    schemas.set_defaults(run=_schemas)
    return parser


def _calc(options: argparse.Namespace) -> int:
    from keeve.core.rules.calc import calc, get_rule
    from keeve.core.rules.registry import parse_json

    try:
        get_rule(options.rule)
        answer = calc(options.rule, parse_json(sys.stdin.read()))
    except InputError as fault:
        _print_json(fault.as_json())
        return BAD_INPUT
    _print_json(answer)
    return 0


def _plan(options: argparse.Namespace) -> int:
    from keeve.core.planning.make_plan import make_plan
    from keeve.formats.job_file import parse_job
    from keeve.formats.plan_text import plan_text

    try:
        plan = make_plan(parse_job(_read(options.file)))
    except InputError as fault:
        if options.json:
            _print_json(fault.as_json())
        else:
            print(f"keeve: {fault.message}", file=sys.stderr)
        return BAD_INPUT
    if options.json:
        _print_json(plan.model_dump(mode="json"))
    else:
        print(plan_text(plan), end="")
    return 0


def _read(file: Path) -> str:
    if str(file) == "-":
        return sys.stdin.read()
    try:
        return file.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as fault:
        reason = fault.strerror if isinstance(fault, OSError) else "it is not UTF-8 text"
        raise InputError("unreadable", f"The file {file} cannot be read: {reason}.", ["file"]) from None


def _print_json(value: Any) -> None:
    print(json.dumps(value, indent=2, ensure_ascii=False, allow_nan=False))


def _schemas(options: argparse.Namespace) -> int:
    from keeve.formats.error_codes import error_codes_text
    from keeve.formats.schemas import schemas

    docs = Path(__file__).parents[2] / "docs"
    texts = {name: json.dumps(schema, indent=2) + "\n" for name, schema in schemas().items()}
    for name, text in {**texts, "error-codes.md": error_codes_text()}.items():
        (docs / name).write_text(text, encoding="utf-8")
        print(f"wrote docs/{name}")
    return 0


def _device_bundle(options: argparse.Namespace) -> int:
    from keeve.screens.without_signal import runtime
    from keeve.screens.without_signal.bundle import bundle

    options.file.write_bytes(bundle())
    whole, ours = runtime.size() / 1e6, len(bundle()) / 1e6
    print(f"version {runtime.version()}: {whole:.1f} MB with the interpreter, {ours:.1f} MB of it here")
    return 0


def _up(options: argparse.Namespace) -> int:
    from keeve.launch.up import up

    return up(
        host=options.host,
        port=options.port,
        certificate=options.cert,
        key=options.key,
        workers=options.workers,
        is_closed=options.closed,
        proxy=options.proxy,
        with_demo=options.demo,
        backups=options.backups,
    )


def _test(options: argparse.Namespace) -> int:
    from keeve.launch.check import check

    return check(options.pytest)


def _bench(options: argparse.Namespace) -> int:
    what = "day.py" if options.day else "run.py"
    return _tool(f"benchmarks/{what}")


def _fit_strength(options: argparse.Namespace) -> int:
    return _tool("strength_fit.py", *(["--write"] if options.write else []))


def _tool(name: str, *arguments: str) -> int:
    """Run what only a developer runs; it lies beside the application."""
    from keeve.launch.system import ROOT

    return subprocess.run([sys.executable, ROOT / "tools" / name, *arguments], check=False).returncode


def _backup(options: argparse.Namespace) -> int:
    from keeve.launch.backup import backup

    return backup(options.file)


def _verify(options: argparse.Namespace) -> int:
    from keeve.launch.backup import verify

    return verify(options.file)


def _restore(options: argparse.Namespace) -> int:
    from keeve.launch.backup import restore

    return restore(options.file)
