"""The studio on the network: a free port, a key where others reach it, and the browser opened."""

import errno
import gc
import os
import secrets
import socket
import threading
import time
import webbrowser
from collections.abc import Callable
from pathlib import Path
from urllib.parse import quote

import typer

from .options import sentences

LEAST_KEY = 16


def serve(
    data: Path,
    host: str,
    wanted: int,
    no_open: bool,
    allowed: list[str],
    key: str | None,
    gallery: bool,
    lens_samples: int | None = None,
    building: Callable[[], dict[str, Path]] = dict,
) -> None:
    gc.disable()  # what is imported stays: looking for what does not would take a fifth of the start
    import psutil

    from ..store import open_studio
    from ..web.app import create_app
    from ..web.guard import LOOPBACK
    from ..web.serve import server_for

    gc.freeze()
    gc.enable()
    if key is not None and len(key) < LEAST_KEY:
        typer.echo(f"A key has at least {LEAST_KEY} letters, so that nobody guesses it.", err=True)
        raise typer.Exit(1)
    with sentences():
        studio = open_studio(data)
        for sentence in studio.findings:
            typer.echo(sentence)
        studio.close()
    listener = _listening(host, wanted)
    port = listener.getsockname()[1]
    local = host in {name.strip("[]") for name in LOOPBACK}
    if key is None and not local:
        key = secrets.token_urlsafe(16)
    name = "127.0.0.1" if host in ("0.0.0.0", "::", "localhost") else f"[{host}]" if ":" in host else host
    address = f"http://{name}:{port}/{f'?key={quote(key, safe=str())}' if key else ''}"
    hosts = [*allowed, *([] if local else [name, socket.gethostname(), *_own_addresses()])]
    origin = f"http://{name}:{port}" if gallery else None
    server = server_for(create_app(data, hosts, key, origin, lens_samples, building))

    def announce() -> None:
        while not server.started and not server.should_exit:
            time.sleep(0.02)
        if server.started:
            took = time.time() - float(os.environ.get("CYC_STARTED", psutil.Process().create_time()))
            typer.echo(f"Cyclorama is open at {address}  (started in {took:.1f} s, data in {data}, Ctrl+C to close)")
            if key and not local:
                typer.echo("It is open to the network: whoever has this address with its key can see and change all.")
            if not no_open:
                webbrowser.open(address)

    threading.Thread(target=announce, daemon=True).start()
    server.run(sockets=[listener])


def _listening(host: str, wanted: int) -> socket.socket:
    """A socket that listens at a port, or at the next that is free. Raises typer.Exit with a sentence."""
    try:
        family, *_ = socket.getaddrinfo(host, None, type=socket.SOCK_STREAM)[0]
    except OSError as error:
        typer.echo(f"There is no address ‘{host}’ on this machine. Leave --host away, or give 0.0.0.0.", err=True)
        raise typer.Exit(1) from error
    last = min(wanted + 50, 65536)
    for port in range(wanted, last):
        listener = socket.socket(family, socket.SOCK_STREAM)
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((host, port))
            return listener
        except OSError as error:
            listener.close()
            if error.errno != errno.EADDRINUSE:
                typer.echo(f"Nothing can listen at {host}:{port}: {error.strerror}. Try another --port.", err=True)
                raise typer.Exit(1) from error
    typer.echo(f"No port between {wanted} and {last - 1} is free. Try another --port.", err=True)
    raise typer.Exit(1)


def _own_addresses() -> set[str]:
    """Numbers under which this machine can be reached."""
    import psutil

    addresses = [a for interface in psutil.net_if_addrs().values() for a in interface]
    return {a.address for a in addresses if a.family == socket.AF_INET} | {
        f"[{a.address.split('%')[0]}]" for a in addresses if a.family == socket.AF_INET6
    }
