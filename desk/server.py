"""The desk's server: one process prepares everything, then parts into web processes and the instrument process, and minds them.

Each web process is waitress: it reads a whole request before one of its threads sees it, so that slow or stalled clients
hold a socket, never a thread. Started by ./vat serve and ./vat demo.
"""

import argparse
import errno
import gc
import hashlib
import os
import signal
import socket
import sys
import threading
import time
import traceback
from collections.abc import Callable
from pathlib import Path

THREADS = 4
TURN_S = 0.1
BACKLOG = 256
MOST_CONNECTIONS = 400
HEADER_BYTES, BODY_BYTES = 32_768, 220_000_000
IDLE_S = 20  # a connection that says nothing for so long is closed
REQUEST_S = 120  # and one that has not brought its request whole by then, however busily it drips
MINUTE = 60.0
RESTARTS_A_MINUTE = 6
TAKEN_S = 5.0  # how long a start waits for a port that a server just killed has not given back yet


class Starting:
    """Says what the start is doing once it has taken a while."""

    def __init__(self) -> None:
        self.begun = time.monotonic()

    def __call__(self, text: str) -> None:
        if time.monotonic() - self.begun > 1.5:
            print(f"  {text} ...", flush=True)


def listen(host: str, port: int) -> socket.socket:
    """The socket that all web processes share. Ends the program in one sentence where it is not to be had."""
    kind = socket.AF_INET6 if ":" in host else socket.AF_INET
    made = socket.socket(kind, socket.SOCK_STREAM)
    made.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    until = time.monotonic() + TAKEN_S
    while True:
        try:
            made.bind((host, port))
            made.listen(BACKLOG)
            break
        except (OSError, OverflowError) as error:
            taken = getattr(error, "errno", None) == errno.EADDRINUSE
            if taken and time.monotonic() < until:
                time.sleep(0.1)
                continue
            why = "is taken" if taken else f"cannot be used ({error})"
            sys.exit(f"vat: port {port} on {host} {why}; choose another with --port")
    made.setblocking(False)
    return made


def host_names(host: str) -> list[str]:
    """The names by which this desk may be asked: the loopback's, and of another host its own name and addresses, never all."""
    names = ["localhost", "127.0.0.1", "[::1]"]
    if is_loopback(host):
        return names
    own = socket.gethostname()
    result = {own, socket.getfqdn(), *([] if host in ("0.0.0.0", "::") else [host])}
    for name in (own, socket.getfqdn()):
        try:
            result |= {info[4][0] for info in socket.getaddrinfo(name, None)}
        except OSError:
            continue
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:  # the address others reach this machine by; nothing is sent
        try:
            probe.connect(("192.0.2.1", 9))
            result.add(probe.getsockname()[0])
        except OSError:
            pass
    return names + sorted(f"[{n}]" if ":" in n else n for n in result)


def is_loopback(host: str) -> bool:
    return host in ("localhost", "::1", "[::1]") or host.startswith("127.")


def prepare(say: Starting, *, demo: bool) -> None:
    """Settings, database, demo mill, static files: what has to be there before anybody is answered."""
    import django

    say("reading the desk")
    django.setup()
    from django.conf import settings
    from django.core.management import call_command
    from django.db import connection
    from django.db.migrations.executor import MigrationExecutor

    executor = MigrationExecutor(connection)
    if executor.migration_plan(executor.loader.graph.leaf_nodes()):
        say("bringing the database up to date")
        _apart(lambda: call_command("migrate", verbosity=0))
    if demo:
        say("loading the demo mill")
        _apart(lambda: call_command("demo"))
    stamp = _stamp(settings)
    kept = Path(settings.STATIC_ROOT) / ".stamp"
    if not kept.exists() or kept.read_text() != stamp:
        say("gathering the static files")
        call_command("collectstatic", interactive=False, verbosity=0)
        kept.write_text(stamp)
    say("laying out the pages")
    _once_for_all()
    connection.close()


def unusable(failure: Exception) -> str:
    """That the database is not to be used, why, and what puts it right."""
    from django.conf import settings

    return (
        f"vat: the database in {settings.DATA} cannot be used: {failure}. Look whether the disk is full and the folder may be "
        "written to; a damaged database gives way to its newest backup by ./vat restore"
    )


def _apart(work: Callable[[], None]) -> None:
    """Do the work in a process of its own, so that what it needed of memory goes with it. Ends the program where it fails."""
    from django.db import DatabaseError, connection

    connection.close()
    pid = os.fork()
    if pid:
        status = os.waitstatus_to_exitcode(os.waitpid(pid, 0)[1])
        if status:
            sys.exit(status)
        return
    status = 1
    try:
        work()
        status = 0
    except SystemExit as end:
        status = end.code if isinstance(end.code, int) else 1
        if isinstance(end.code, str):
            print(end.code, file=sys.stderr)
    except DatabaseError as failure:
        print(unusable(failure), file=sys.stderr)
    except BaseException:  # noqa: BLE001  (told as the interpreter would tell it)
        traceback.print_exc()
    finally:
        sys.stdout.flush()
        os._exit(status)


def _once_for_all() -> None:
    """What every process needs and none changes is read before they part, and so is held in memory once."""
    import scipy.optimize  # noqa: F401
    from django.urls import get_resolver
    from django.utils import timezone

    from core.errors import CoreError
    from desk.mill.state import MillState, NoMill

    _ = get_resolver().url_patterns  # every view and every model
    try:
        _ = MillState(timezone.now()).solution  # with all that is compiled for it
    except (NoMill, CoreError):
        return  # nothing is set up, or it cannot be run: the pages say so


def _stamp(settings) -> str:
    """What the static files were gathered from: names, sizes and times."""
    from django.contrib.staticfiles.finders import get_finders

    told = hashlib.sha256()
    for finder in get_finders():
        for path, storage in finder.list([]):
            result = Path(storage.path(path)).stat()
            told.update(f"{path} {result.st_size} {result.st_mtime_ns}\n".encode())
    return f"{settings.STATIC_ROOT} {told.hexdigest()}"


class InTurn:
    """Requests of one process run one after another: threads that share an interpreter only slow each other down.

    One that has waited 0.1 s goes ahead beside the one that runs, so that a long search or import holds nobody up.
    """

    def __init__(self, application: Callable) -> None:
        self.application, self.turn = application, threading.Lock()

    def __call__(self, environ, start_response):
        mine = self.turn.acquire(timeout=TURN_S)
        try:
            return self.application(environ, start_response)
        finally:
            if mine:
                self.turn.release()


def channel_class() -> type:
    """A connection that must bring each request whole within its time; waitress by itself closes only one that says nothing."""
    from waitress.channel import HTTPChannel

    class Channel(HTTPChannel):
        begun: float | None = None

        def received(self, data: bytes):
            self.begun = self.begun or time.time()
            before = len(self.requests)
            result = super().received(data)
            if self.request is None or len(self.requests) > before:
                self.begun = None
            elif time.time() - self.begun > REQUEST_S:
                self.will_close = True
            return result

    return Channel


def web(listening: socket.socket) -> None:
    """One web process."""

    from waitress.server import create_server

    from desk.wsgi import application

    https = os.environ.get("VAT_HTTPS") == "1"
    proxied = {"trusted_proxy": "127.0.0.1", "trusted_proxy_headers": {"x-forwarded-proto"}} if https else {}
    server = create_server(
        InTurn(application),
        sockets=[listening],
        threads=THREADS,
        ident=None,
        connection_limit=MOST_CONNECTIONS,
        max_request_header_size=HEADER_BYTES,
        max_request_body_size=BODY_BYTES,
        channel_timeout=IDLE_S,
        cleanup_interval=5,
        expose_tracebacks=False,
        clear_untrusted_proxy_headers=True,
        asyncore_use_poll=True,
        **proxied,
    )
    server.channel_class = channel_class()

    def stop(*_) -> None:
        raise SystemExit(0)

    signal.signal(signal.SIGTERM, stop)
    try:
        server.run()
    finally:
        server.close()


def instruments(simulate: bool) -> None:
    """The instrument process: files, simulated meters, the nightly copy and proof."""
    from django.core.management import call_command

    call_command("run_instruments", simulate=simulate)


def plant_link() -> None:
    """The process that reads the plant's own servers."""
    from django.core.management import call_command

    call_command("read_plant")


def stand_in() -> None:
    """The demo's plant, as a server on this machine."""
    from django.core.management import call_command

    call_command("stand_in_plant")


def _begin(name: str, minder: int) -> None:
    """A child bears its role's name in the list of processes.

    It is told to stop when the process that minds it is gone, however that ended: nothing is left behind.
    """
    import ctypes

    set_death_signal, set_name = 1, 15
    system = ctypes.CDLL(None)
    system.prctl(set_name, f"vat {name}".encode()[:15])
    system.prctl(set_death_signal, signal.SIGTERM)
    if os.getppid() != minder:  # it went while this one was made
        os._exit(1)


class Minder:
    """Keeps every child alive: one that ends is started again, not more often than six times a minute."""

    def __init__(self, roles: dict[str, Callable[[], None]]) -> None:
        self.roles = roles
        self.children: dict[int, str] = {}
        self.ends: list[float] = []
        self.stopping = False

    def start(self, name: str) -> None:
        sys.stdout.flush()
        minder = os.getpid()
        pid = os.fork()
        if pid:
            self.children[pid] = name
            return
        status = 1
        try:
            _begin(name, minder)
            for number in (signal.SIGTERM, signal.SIGINT):
                signal.signal(number, signal.SIG_DFL if number == signal.SIGTERM else signal.SIG_IGN)
            self.roles[name]()
            status = 0
        except SystemExit as end:
            status = end.code if isinstance(end.code, int) else 0
        except BaseException as failure:  # noqa: BLE001  (said in one line; the minder starts it again)
            print(f"vat: the {name} process ended: {type(failure).__name__} {failure}", file=sys.stderr, flush=True)
        finally:
            os._exit(status)

    def stop(self, *_) -> None:
        self.stopping = True
        for pid in self.children:
            try:
                os.kill(pid, signal.SIGTERM)
            except ProcessLookupError:
                continue

    def mind(self) -> None:
        """Until told to stop."""
        signal.signal(signal.SIGTERM, self.stop)
        signal.signal(signal.SIGINT, self.stop)
        for name in self.roles:
            self.start(name)
        while self.children:
            try:
                pid, _ = os.wait()
            except InterruptedError:
                continue
            except ChildProcessError:
                return
            name = self.children.pop(pid, "")
            if self.stopping or not name:
                continue
            now = time.monotonic()
            self.ends = [t for t in self.ends if now - t < MINUTE] + [now]
            if len(self.ends) > RESTARTS_A_MINUTE:
                time.sleep(10.0)
            self.start(name)


def main() -> None:
    """Parse the command line, prepare, say where the desk stands, and mind its processes until stopped."""
    parser = argparse.ArgumentParser(prog="vat serve")
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, default=8000)
    parser.add_argument("--demo", action="store_true")
    parser.add_argument("--workers", type=int, default=int(os.environ.get("VAT_WORKERS", "2")))
    asked = parser.parse_args()
    say = Starting()
    os.umask(0o077)
    listening = listen(asked.host, asked.port)
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "desk.settings")
    os.environ.setdefault("VAT_HOSTS", ",".join(host_names(asked.host)))
    if asked.demo:
        os.environ["VAT_DEMO"] = "1"
    from django.db import DatabaseError

    try:
        prepare(say, demo=asked.demo)
    except DatabaseError as failure:
        sys.exit(unusable(failure))
    from django.conf import settings

    from desk.people.first import first_code

    note = Path(settings.DATA) / "server.pid"
    note.write_text(str(os.getpid()))
    shown = "localhost" if asked.host in ("0.0.0.0", "::") else asked.host
    base = f"http://{f'[{shown}]' if ':' in shown else shown}:{asked.port}/"
    print(f"\n  Fox Vat stands at  {base}")
    if asked.demo:
        print("  Sign in: press a role. With initials: any person on the page, PIN heron-demo.")
    elif code := first_code():
        print(f"  Nobody is known here yet. The first administrator:  {base}first/?code={code}")
    else:
        print("  Sign in with your initials and PIN.")
    print(f"  Database and files: {settings.DATA}.  Stop with Ctrl-C.\n", flush=True)
    gc.collect()
    gc.freeze()  # what was prepared is shared by the children and never walked again
    roles: dict[str, Callable[[], None]] = {f"web {n + 1}": lambda: web(listening) for n in range(max(1, asked.workers))}
    roles |= {"instrument": lambda: instruments(False), "plant link": plant_link}
    if asked.demo:
        roles["stand-in plant"] = stand_in
    try:
        Minder(roles).mind()
    finally:
        note.unlink(missing_ok=True)


if __name__ == "__main__":
    main()
