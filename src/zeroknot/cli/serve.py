"""`zeroknot serve`: the application in the browser."""

import fcntl
import gc
import signal
import socket
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from zeroknot.core.errors import ZeroKnotError
from zeroknot.settings import Settings
from zeroknot.store.damaged import DATABASE, refuse_damaged
from zeroknot.web.addresses import addresses_of, lets_others_in
from zeroknot.web.certificate import certificate_for

if TYPE_CHECKING:
    from zeroknot.studio.studio import Studio

LOCK = "server.lock"


def serve(
    host: Annotated[str | None, typer.Option(help="address to listen on")] = None,
    port: Annotated[int | None, typer.Option(help="port to listen on")] = None,
    data: Annotated[Path | None, typer.Option(help="folder for loops, projects, renders")] = None,
) -> None:
    """Start the application and print its address."""
    stated = {"host": host, "port": port, "data": data}
    given = {name: value for name, value in stated.items() if value is not None}
    start(Settings().model_copy(update=given))


def start(settings: Settings, home: str = "") -> None:
    """Run the server until it is told to stop.

    home  the project that the bare address opens; the list of projects where there is none

    Raises ZeroKnotError where the port is taken or another server works on the data folder.
    """
    address, others = addresses_of(settings.host, settings.port)
    with (
        held_folder(settings.data, address),
        listening_on(settings.host, settings.port) as door,
    ):
        # What is loaded stays: looking through it for garbage takes a sixth of the start.
        gc.disable()
        from zeroknot.web.app import make_app
        from zeroknot.web.server import Server

        certificate = None
        if lets_others_in(settings.host):
            certificate = certificate_for(settings.host, settings.data)
        server = Server(make_app(settings, home=home, make_demo=make_demo), certificate)
        gc.freeze()
        gc.enable()
        print(f"Zero Knot: {address}", flush=True)
        for other in others:
            print(f"From other machines: {other}", flush=True)
        # Told to end, it ends as a program that is done, and so do its workers.
        for told in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
            if signal.getsignal(told) is not signal.SIG_IGN:
                signal.signal(told, lambda *_: sys.exit(0))
        server.run(sockets=[door])


def listening_on(host: str, port: int) -> socket.socket:
    """The server's socket, opened before anything slow, so that a taken port is said at once.

    What is accepted from it inherits that small answers go out at once: else the body of an answer
    waits up to 40 ms until its head was acknowledged.
    """
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    try:
        door = socket.create_server((host, port), family=family, backlog=2048)
    except OSError as error:
        raise ZeroKnotError(
            f"port {port} on {host} cannot be listened on ({error.strerror}); "
            "end what listens there, or choose another with --port"
        ) from error
    door.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    return door


def make_demo(studio: "Studio") -> str:
    """The demo project in a studio; what it is made with is loaded when it is wanted."""
    from zeroknot.demo.build import make

    return make(studio)


@contextmanager
def held_folder(data: Path, address: str = "") -> Iterator[None]:
    """One process a data folder: a second would sweep away what the first is bringing in.

    address  of the server, for commands that have something for it

    Raises ZeroKnotError where another holds it, and where it cannot be written to or read.
    """
    try:
        data.mkdir(parents=True, exist_ok=True)
        opened = (data / LOCK).open("a+")
    except OSError as error:
        raise ZeroKnotError(
            f"the data folder {data} cannot be used ({error.strerror}); name another by "
            "--data or ZEROKNOT_DATA"
        ) from error
    with opened as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            raise ZeroKnotError(
                f"another Zero Knot is running on {data}; end it, or give this one a data folder "
                "of its own (--data, or ZEROKNOT_DATA)"
            ) from error
        lock.truncate(0)
        lock.write(address)
        lock.flush()
        refuse_damaged(data / DATABASE)
        yield


def running_at(data: Path) -> str | None:
    """The address of the server that holds a data folder; None where none does."""
    file = data / LOCK
    if not file.exists():
        return None
    with file.open() as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_SH | fcntl.LOCK_NB)
        except OSError:
            return lock.read().strip() or None
    return None
