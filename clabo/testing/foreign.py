"""Web pages that nobody here wrote, as a site of their own: any answer to any path, and what it was asked."""

from __future__ import annotations

import threading
import time
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import urlsplit


@dataclass(frozen=True, slots=True)
class Answer:
    """What a path answers. `later`: seconds until it does."""

    body: str | bytes = ""
    kind: str = "text/html; charset=utf-8"
    status: int = 200
    headers: Mapping[str, str] = field(default_factory=dict)
    later: float = 0.0


class Foreign:
    """Serves `answers` by path, to GET and POST alike; `asked` lists the paths in order."""

    def __init__(self) -> None:
        self.answers: dict[str, Answer] = {}
        self.asked: list[str] = []
        outer = self

        class Handler(BaseHTTPRequestHandler):
            protocol_version = "HTTP/1.1"

            def do_GET(self) -> None:
                self.rfile.read(int(self.headers.get("content-length") or 0))
                path = urlsplit(self.path).path
                outer.asked.append(path)
                answer = outer.answers.get(path, Answer("Not here.", status=404))
                time.sleep(answer.later)
                body = answer.body.encode() if isinstance(answer.body, str) else answer.body
                self.send_response(answer.status)
                for name, value in {"content-type": answer.kind, **answer.headers}.items():
                    self.send_header(name, value)
                self.send_header("content-length", str(len(body)))
                self.end_headers()
                # Whoever has left meanwhile does not want it any more.
                with suppress(BrokenPipeError, ConnectionResetError):
                    self.wfile.write(body)

            do_POST = do_GET  # noqa: N815

            def log_message(self, *args: Any) -> None:
                pass

        self._server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self._server.daemon_threads = True
        self.host = f"127.0.0.1:{self._server.server_port}"
        self.url = f"http://{self.host}"
        threading.Thread(target=self._server.serve_forever, args=(0.05,), daemon=True).start()

    def stop(self) -> None:
        self._server.shutdown()
        self._server.server_close()
