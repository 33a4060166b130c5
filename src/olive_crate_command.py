"""The entry of the command: from here on, an interrupt ends it with one line and nothing else.

It stands outside of the package and imports nothing before it is ready, since an interrupt while
modules are imported would end in a traceback.
"""

from __future__ import annotations

TYPE_CHECKING = False
if TYPE_CHECKING:
    from types import FrameType


def main() -> None:
    """Run the command. A first interrupt lets it clean up; one that comes later ends it at once."""
    try:
        _catch_interrupts()
        _collect_rarely()
        _start_no_helpers()
        _make_no_frames()
        _run()
    except BaseException as error:
        if not isinstance(error, KeyboardInterrupt) and (not _RAISED or type(error) is SystemExit):
            raise  # else an import that was interrupted has made another error of it
        import os
        import sys

        try:
            sys.stdout.flush()
            writing = sys.modules.get("olive_crate.sources.writing")
            if writing is not None:
                writing.clean_up()
        finally:
            os.write(2, b"olive-crate: interrupted\n")
            os._exit(130)  # without waiting for threads that still work


_RAISED: list[float] = []
"""When the first interrupt was raised, if one was."""
MOMENT, LONGEST = 0.01, 1.0
"""Seconds after which an interrupt is tried again that came at a bad time, and so for how long."""
PATIENCE = 2.0
"""Seconds in which what is begun is cleaned up; further interrupts are of no use until then."""


def _collect_rarely() -> None:
    """Look for cycles of objects less often: imports make many objects, but few cycles."""
    import gc

    gc.set_threshold(100_000, 50, 50)


def _start_no_helpers() -> None:
    """Let NumPy's matrix products take one thread, unless the user says how many.

    More are started when NumPy is imported, and wait busily while there is nothing to multiply. Our
    own workers share large products among themselves.
    """
    import os

    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")


def _make_no_frames() -> None:
    """Keep Arrow from importing the data frame package that it looks for.

    It does so whenever values come from Python or go there. No command makes a data frame, and the
    import takes longer than most commands.
    """
    import sys

    class NoFrames:
        """Tells that this package is not installed."""

        @staticmethod
        def find_spec(name: str, *_: object) -> None:
            if name == "pandas":
                raise ModuleNotFoundError(f"no command needs {name}", name=name)

    sys.meta_path.insert(0, NoFrames)


def _run() -> None:
    """Run the command and end the process; an interrupt may still come while output is written."""
    from olive_crate.cli import main as run

    try:
        run()
    except SystemExit as stop:
        _leave(stop.code)
        raise


def _leave(status: object) -> None:
    """End at once when everything is written: tearing down all objects takes longer than a look.

    If other threads are still at work, the process ends as usual and waits for them.
    """
    import atexit
    import os
    import sys
    import threading

    if not isinstance(status, int) or threading.active_count() > 1:
        return
    atexit._run_exitfuncs()
    try:
        sys.stdout.flush()
        sys.stderr.flush()
    except BrokenPipeError:  # nobody reads any more
        status = status or 1
    except OSError as error:
        os.write(2, f"olive-crate: the output was not written: {error.strerror}\n".encode())
        status = status or 1
    os._exit(status)


def _catch_interrupts() -> None:
    import os
    import signal
    from time import monotonic

    if signal.getsignal(signal.SIGINT) is not signal.default_int_handler:
        return  # whoever has started us wants it otherwise
    can_wait = hasattr(signal, "setitimer")
    first, since = _RAISED, list[float]()

    def interrupted(_signal: int, frame: FrameType | None) -> None:
        now = monotonic()
        since[:] = since or [now]
        if can_wait and not first and _holds_locks(frame) and now - since[0] < LONGEST:
            signal.setitimer(signal.ITIMER_REAL, MOMENT)
        elif not first:
            first.append(now)
            raise KeyboardInterrupt
        elif now - first[0] > PATIENCE:
            os._exit(130)

    signal.signal(signal.SIGINT, interrupted)
    if can_wait:
        signal.signal(signal.SIGALRM, interrupted)


def _holds_locks(frame: FrameType | None) -> bool:
    """Is this a place where Python, once interrupted, may hold a lock forever?

    It is where modules are imported, and where threads wait for each other.
    """
    name = "" if frame is None else str(frame.f_globals.get("__name__"))
    return name.startswith(("importlib.", "_frozen_importlib", "threading", "concurrent.futures"))
