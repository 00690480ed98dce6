"""A recording's stream for other computers of the network: read only, with a token, off unless asked for.

GET /TOKEN/ is a page with the figures, GET /TOKEN/rows?from=N the rows from the Nth on as CSV, GET /TOKEN/now the last
sample as JSON. There is nothing else, and no way to write.
"""

import hmac
import json
import secrets
import threading
from collections import deque
from http import HTTPStatus
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlsplit

from .lines import Sample

_MOST_ROWS = 100_000
_AT_ONCE = 5000
_COLUMNS = "number,time_s,setpoint_degC,measured_degC,drive,guard,stopped"
_TIMEOUT_S = 10.0
_PAGE = """<!doctype html><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>Kelvarn, watched</title>
<style>body{{font-family:sans-serif;background:#F3EFE6;color:#22303A;margin:2rem}}b{{font-size:3rem}}
p{{font-variant-numeric:tabular-nums}}</style>
<h1>{title}</h1><p><b id="y">…</b> °C</p><p id="more"></p><p>Read only. {warns}</p>
<script>
async function look() {{
  try {{
    const now = await (await fetch("now")).json();
    document.getElementById("y").textContent = now.measured_degC === null ? "no reading" : now.measured_degC.toFixed(1);
    document.getElementById("more").textContent = now.seq === null ? "nothing was heard yet"
      : `setpoint ${{now.setpoint_degC.toFixed(1)}} °C, drive ${{(100 * now.drive).toFixed(0)}} %`
      + `${{now.stopped ? ", stopped" : ""}}, ${{now.age_s.toFixed(0)}} s ago`;
  }} catch (error) {{ document.getElementById("more").textContent = "the watching computer does not answer"; }}
}}
look(); setInterval(look, 1000);
</script>"""
_WARNS = "A heater under test needs someone near, and a thermal cut-off of its own that no software can override."


class SharedView:
    """What is shown to others.

    Args:
        title: whose device it is.
        clock: seconds that only go on.
        port: where; 0 takes a free one.
        host: that it listens at; empty: all networks of this computer.
        token: who knows it may look; None makes one.

    Raises:
        OSError: the port is taken.
    """

    def __init__(self, title: str, clock: Any, port: int, host: str = "", token: str | None = None) -> None:
        self.token = token or secrets.token_urlsafe(12)
        self._clock = clock
        self._title = title
        self._rows: deque[str] = deque(maxlen=_MOST_ROWS)
        self._count = 0
        self._last: Sample | None = None
        self._lock = threading.Lock()
        view = self

        class Handler(BaseHTTPRequestHandler):
            timeout = _TIMEOUT_S

            def do_GET(self) -> None:
                view._answer(self)

            def log_message(self, *_: Any) -> None:
                """Nothing is printed of who looks."""

        self._server = ThreadingHTTPServer((host, port), Handler)
        self._server.daemon_threads = True
        self.port = int(self._server.server_address[1])
        self._thread = threading.Thread(target=self._server.serve_forever, daemon=True)
        self._thread.start()

    def add(self, sample: Sample, time_s: float) -> None:
        """Show a sample."""
        degC = "" if sample.reading_degC is None else f"{sample.reading_degC:g}"
        with self._lock:
            self._rows.append(f"{self._count},{time_s:.3f},{sample.setpoint_degC:g},{degC},{sample.given:g},"
                              f"{sample.guard},{int(sample.stopped)}")  # fmt: skip
            self._count += 1
            self._last = sample

    def _answer(self, asked: BaseHTTPRequestHandler) -> None:
        parts = urlsplit(asked.path)
        token, _, what = parts.path.lstrip("/").partition("/")
        if not hmac.compare_digest(token.encode(), self.token.encode()):
            _send(asked, HTTPStatus.NOT_FOUND, "text/plain", "nothing is here\n")
        elif what == "":
            title = self._title.replace("&", "&amp;").replace("<", "&lt;")
            _send(asked, HTTPStatus.OK, "text/html", _PAGE.format(title=title, warns=_WARNS))
        elif what == "now":
            _send(asked, HTTPStatus.OK, "application/json", json.dumps(self._now()))
        elif what == "rows":
            _send(asked, HTTPStatus.OK, "text/csv", self._csv(parts.query))
        else:
            _send(asked, HTTPStatus.NOT_FOUND, "text/plain", "nothing is here\n")

    def _now(self) -> dict[str, Any]:
        with self._lock:
            last = self._last
        if last is None:
            return {"seq": None, "measured_degC": None}
        return {
            "seq": last.seq, "measured_degC": last.reading_degC, "setpoint_degC": last.setpoint_degC,
            "drive": last.given, "stopped": last.stopped, "guard": last.guard, "age_s": self._clock() - last.at_s,
        }  # fmt: skip

    def _csv(self, query: str) -> str:
        asked = parse_qs(query).get("from", ["0"])[0]
        first = int(asked) if asked.isascii() and asked.isdigit() and len(asked) < 12 else 0
        with self._lock:
            begins = self._count - len(self._rows)
            skip = max(first - begins, 0)
            rows = [self._rows[k] for k in range(skip, min(skip + _AT_ONCE, len(self._rows)))]
        return "".join(f"{row}\n" for row in (_COLUMNS, *rows))

    def close(self) -> None:
        """Show nothing any more."""
        self._server.shutdown()
        self._server.server_close()
        self._thread.join(2.0)


def _send(asked: BaseHTTPRequestHandler, status: HTTPStatus, kind: str, text: str) -> None:
    data = text.encode()
    asked.send_response(status)
    asked.send_header("Content-Type", f"{kind}; charset=utf-8")
    asked.send_header("Content-Length", str(len(data)))
    asked.send_header("Cache-Control", "no-store")
    asked.send_header("Referrer-Policy", "no-referrer")
    asked.end_headers()
    asked.wfile.write(data)
