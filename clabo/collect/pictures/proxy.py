"""What the picture browser reaches the network through: the site's own hosts, at public addresses, and nothing else.

A browser that is told to use a proxy looks up no name by itself. So whatever a page asks for (files, redirects,
sockets of its scripts) is held against the same rules here, and goes to the very address that was looked at.
"""

from __future__ import annotations

import asyncio
from collections.abc import Collection
from contextlib import suppress
from urllib.parse import urlsplit

from clabo.platform.problems import Problem
from clabo.setup.sites.guard import public_address

MOST_BYTES = 40 * 1024 * 1024
_HEAD_BYTES = 64 * 1024
_SECONDS = 15.0
_ENDED = b"\r\nContent-Length: 0\r\nConnection: close\r\n\r\n"
_REFUSED, _NOT_REACHED = b"HTTP/1.1 403 Forbidden" + _ENDED, b"HTTP/1.1 502 Bad Gateway" + _ENDED


class GuardedProxy:
    """An HTTP proxy for one page's picture. `left_out`: hosts that were refused; `not_reached`: that did not answer."""

    def __init__(self, hosts: Collection[str], local: Collection[str]) -> None:
        self._hosts, self._local = set(hosts), set(local)
        self._left = MOST_BYTES
        self._server: asyncio.Server | None = None
        self.left_out: set[str] = set()
        self.not_reached: set[str] = set()

    async def start(self) -> int:
        """Listen to this machine alone; gives the port."""
        self._server = await asyncio.start_server(self._serve, "127.0.0.1", 0, limit=_HEAD_BYTES)
        return int(self._server.sockets[0].getsockname()[1])

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        try:
            await self._pass_on(reader, writer)
        except (ValueError, Problem, PermissionError, asyncio.IncompleteReadError, asyncio.LimitOverrunError):
            writer.write(_REFUSED)
        except OSError:
            writer.write(_NOT_REACHED)
        finally:
            writer.close()

    async def _pass_on(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        head = await asyncio.wait_for(reader.readuntil(b"\r\n\r\n"), _SECONDS)
        line, _, headers = head.partition(b"\r\n")
        method, target, version = line.decode("ascii").split(" ")
        tunnel = method == "CONNECT"
        parts = urlsplit(f"https://{target}" if tunnel else target)
        address, port = await self._allowed(parts.scheme, parts.hostname or "", parts.port)
        try:
            there, to = await asyncio.wait_for(asyncio.open_connection(address, port), _SECONDS)
        except OSError:
            self.not_reached.add(parts.netloc)
            raise
        try:
            if tunnel:
                writer.write(b"HTTP/1.1 200 Connection established\r\n\r\n")
            else:
                path = (parts.path or "/") + (f"?{parts.query}" if parts.query else "")
                kept = [h for h in headers.split(b"\r\n") if h and not h.lower().startswith(_OF_THIS_HOP)]
                to.write(f"{method} {path} {version}\r\n".encode("ascii"))
                to.write(b"\r\n".join([*kept, b"Connection: close"]) + b"\r\n\r\n")
            asking = asyncio.create_task(self._copy(reader, to))
            try:
                await self._copy(there, writer)
            finally:
                asking.cancel()
        finally:
            to.close()

    async def _allowed(self, scheme: str, name: str, port: int | None) -> tuple[str, int]:
        """Where that is, if it may be reached: a host of the site's, as it is written there."""
        shown = f"[{name}]" if ":" in name else name
        usual = {"https": 443, "http": 80}.get(scheme, 0)
        if not usual:
            raise ValueError(scheme)
        host = shown if port in (None, usual) else f"{shown}:{port}"
        if host not in self._hosts:
            self.left_out.add(host)
            raise PermissionError(host)
        is_local = bool({f"http://{host}", f"https://{host}"} & self._local)
        where = port or usual
        return await asyncio.to_thread(public_address, name, where, is_local), where

    async def _copy(self, source: asyncio.StreamReader, to: asyncio.StreamWriter) -> None:
        """Until it ends or all that one page may bring has been brought."""
        with suppress(ConnectionError):
            while piece := await source.read(65536):
                self._left -= len(piece)
                if self._left < 0:
                    to.transport.abort()
                    return
                to.write(piece)
                await to.drain()


_OF_THIS_HOP = (b"connection:", b"proxy-", b"keep-alive:")
