"""A PostgreSQL server of the tests' own: on a loopback port, in a temporary folder, stopped at the end."""

import glob
import itertools
import os
import shutil
import signal
import socket
import subprocess
import tempfile
import time
from contextlib import contextmanager
from pathlib import Path

import psycopg

from azven.book.engines import Away
from azven.book.place import Server

_HOSTS = "host all guarded 127.0.0.1/32 scram-sha-256\nhost all all 127.0.0.1/32 trust\n"
_STARTS_S = 60
_numbers = itertools.count(1)


def binaries():
    """The folder of the server's programs, None where there is none."""
    found = shutil.which("initdb")
    folders = [str(Path(found).resolve().parent)] if found else []
    folders += sorted(glob.glob("/usr/lib/postgresql/*/bin"), reverse=True)
    return next((Path(f) for f in folders if all((Path(f) / p).exists() for p in ("initdb", "postgres"))), None)


def missing():
    """Why no server can be had; empty where one can."""
    return "" if binaries() else "no PostgreSQL server on this machine; `./run test` installs it from Debian"


class TestServer:
    """The server, with the superuser `azven` that needs no password and `guarded` that needs one."""

    __test__ = False
    PASSWORD = "lantern oil"

    def __init__(self):
        self._programs = binaries()
        self._as = {"user": "nobody", "group": "nogroup", "extra_groups": []} if os.getuid() == 0 else {}
        self._folder = Path(tempfile.mkdtemp(prefix="azven-pg-"))
        self._folder.chmod(0o777)
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self._data = self._folder / "data"
        made = [self._programs / "initdb", "-D", self._data, "-U", "azven", "-A", "trust", "-E", "UTF8", "--no-sync"]
        subprocess.run([*made, "--locale=C.UTF-8"], check=True, capture_output=True, cwd=self._folder, **self._as)
        (self._data / "pg_hba.conf").write_text(_HOSTS)
        self._process = None
        self.start()
        with self.connect() as connection:
            connection.execute(f"CREATE ROLE guarded LOGIN SUPERUSER PASSWORD '{self.PASSWORD}'")

    def start(self):
        settings = [f"port={self.port}", "listen_addresses=127.0.0.1", "unix_socket_directories=", "max_connections=60"]
        words = [w for s in settings for w in ("-c", s)]
        with (self._folder / "log").open("ab") as log:
            self._process = subprocess.Popen(
                [self._programs / "postgres", "-D", self._data, *words],
                stdout=log, stderr=log, cwd=self._folder, start_new_session=True, **self._as,
            )  # fmt: skip
        until = time.monotonic() + _STARTS_S
        while True:
            try:
                self.connect().close()
            except psycopg.OperationalError:
                if time.monotonic() > until or self._process.poll() is not None:
                    raise
                time.sleep(0.02)
            else:
                return

    def connect(self, database="postgres"):
        return psycopg.connect(f"postgresql://azven@127.0.0.1:{self.port}/{database}", autocommit=True)

    def database(self):
        """The place of a new, empty database."""
        name = f"book{next(_numbers)}"
        with self.connect() as connection:
            connection.execute(f"CREATE DATABASE {name} TEMPLATE template0")
        return Server(f"postgresql://azven@127.0.0.1:{self.port}/{name}")

    def stop(self):
        """Stop it as an administrator does who does not wait."""
        self._end(signal.SIGQUIT)

    def kill(self):
        """End it and all its processes as a power cut would."""
        self._end(signal.SIGKILL)

    def _end(self, how):
        if self._process is None:
            return
        if how == signal.SIGKILL:
            os.killpg(self._process.pid, how)
        else:
            self._process.send_signal(how)
        self._process.wait()
        self._process = None
        (self._data / "postmaster.pid").unlink(missing_ok=True)

    def close(self):
        self._end(signal.SIGQUIT)
        shutil.rmtree(self._folder, ignore_errors=True)


def losing_answers(engine):
    """A way to write of which the answer is lost: the commit arrives, nobody hears of it."""
    real = engine.writing

    @contextmanager
    def writing():
        with real() as connection:
            yield connection
        raise Away("the line was cut")

    return writing
