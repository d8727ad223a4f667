"""A process that has loaded the program once, and runs each command line in a fork of itself.

Loading takes half a second, and most commands of the tests take far less. Every run has its own
process, folder, environment and streams, as if it had been begun by a shell. Requests are lines of
JSON, answers are exit codes; negative ones are signals.
"""

from __future__ import annotations

import gc
import io
import json
import os
import subprocess
import sys
import time
from pathlib import Path

COMMANDS = (
    "check list why mend compare draw report probe play rehearse tables route new schema odds"
)


class Warm:
    """The other end: runs command lines, and is started when it is first asked."""

    def __init__(self):
        self.process = None

    def fork(self):
        """Let a fork of this process be the other end, as long as it has done nothing yet."""
        there, here = os.pipe(), os.pipe()
        child = os.fork()
        if not child:
            os.dup2(there[0], 0)
            os.dup2(here[1], 1)
            for end in (*there, *here):
                os.close(end)
            sys.stdin = open(0, encoding="utf-8", closefd=False)  # noqa: SIM115
            try:
                serve()
            finally:
                os._exit(0)
        os.close(there[0])
        os.close(here[1])
        self.process = Forked(child, open(there[1], "w"), open(here[0]))  # noqa: SIM115

    def run(self, arguments, folder, environment, timeout, typed=""):
        """The finished process, with what was typed. Raises `subprocess.TimeoutExpired`."""
        if self.process is None or self.process.poll() is not None:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "tests.warm"],
                cwd=Path(__file__).parent.parent,
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                text=True,
            )
        streams = [Path(folder).parent / f"{Path(folder).name}.{n}" for n in ("in", "out", "err")]
        request = [
            [os.fspath(a) for a in arguments],
            str(folder),
            environment,
            timeout,
            *map(str, streams),
        ]
        streams[0].write_text(typed, encoding="utf-8")
        try:
            self.process.stdin.write(json.dumps(request) + "\n")
            self.process.stdin.flush()
            code = json.loads(self.process.stdout.readline())
            out, err = (path.read_bytes().decode("utf-8") for path in streams[1:])
        finally:
            for path in streams:
                path.unlink(missing_ok=True)
        if code is None:
            raise subprocess.TimeoutExpired(arguments, timeout, out, err)
        out, err = (io.StringIO(text, newline=None).read() for text in (out, err))
        return subprocess.CompletedProcess(arguments, code, out, err)

    def end(self):
        if self.process is not None:
            self.process.stdin.close()
            self.process.stdout.close()
            self.process.wait()
            self.process = None


class Forked:
    """A fork with pipes, as far as `Warm` needs it."""

    def __init__(self, child, stdin, stdout):
        self.child, self.stdin, self.stdout = child, stdin, stdout

    def poll(self):
        return None

    def wait(self):
        os.waitpid(self.child, 0)


def serve():
    """Answer requests until there are none."""
    from importlib import import_module

    import zubrel.entry
    import zubrel.shell.main

    for name in COMMANDS.split():
        import_module(f"zubrel.shell.{name}_command")
    gc.collect()
    gc.freeze()  # forks share it, and need not look through it
    answers = os.fdopen(os.dup(1), "w")
    for line in sys.stdin:
        arguments, folder, environment, timeout, *streams = json.loads(line)
        child = os.fork()
        if not child:
            _become(arguments, folder, environment, streams)
            code = 0
            try:
                zubrel.entry.run()
            except SystemExit as leaving:
                code = leaving.code or 0
            sys.stdout.flush()
            sys.stderr.flush()
            os._exit(code)
        answers.write(json.dumps(_code_of(child, timeout)) + "\n")
        answers.flush()


def _become(arguments, folder, environment, streams):
    """What a shell does before it begins a program."""
    os.chdir(folder)
    os.environ.clear()
    os.environ.update(environment)
    typed, out, err = streams
    os.dup2(os.open(typed, os.O_RDONLY), 0)
    sys.stdin = open(0, encoding="utf-8", closefd=False)  # noqa: SIM115
    for number, path, name in ((1, out, "stdout"), (2, err, "stderr")):
        os.dup2(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), number)
        errors = "strict" if number == 1 else "backslashreplace"
        stream = open(number, "w", encoding="utf-8", errors=errors, closefd=False)  # noqa: SIM115
        setattr(sys, name, stream)
        setattr(sys, f"__{name}__", stream)
    sys.argv = ["zubrel", *arguments]


def _code_of(child, timeout):
    """The exit code of a child; None where it took too long, and was killed."""
    end = time.monotonic() + timeout
    while time.monotonic() < end:
        ended, status = os.waitpid(child, os.WNOHANG)
        if ended:
            return os.waitstatus_to_exitcode(status)
        time.sleep(0.002)
    os.kill(child, 9)
    os.waitpid(child, 0)
    return None


if __name__ == "__main__":
    serve()
