"""
Traces by OpenTelemetry, as a collector that is not ours reads them.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from http.server import BaseHTTPRequestHandler, HTTPServer
from typing import Any

import pytest
from fastapi.testclient import TestClient
from opentelemetry import trace
from opentelemetry.exporter.otlp.proto.http.trace_exporter import OTLPSpanExporter
from opentelemetry.proto.collector.trace.v1.trace_service_pb2 import ExportTraceServiceRequest
from opentelemetry.sdk.trace.export import SimpleSpanProcessor

from bouquet.runs import Services, execute
from bouquet.traces import ENDPOINTS, configure_traces, provider_with, trace_number

SignIn = Callable[[str], TestClient]


@pytest.fixture
def collected(monkeypatch: pytest.MonkeyPatch) -> Iterator[Callable[[], list[Any]]]:
    """
    A collector on loopback; gives the spans that arrived there.
    """
    bodies: list[bytes] = []

    class Collector(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            body = self.rfile.read(int(self.headers["Content-Length"]))
            bodies.append(body)
            self.send_response(200)
            self.end_headers()

        def log_message(self, *_: Any) -> None:
            pass

    server = HTTPServer(("127.0.0.1", 0), Collector)
    threading.Thread(target=server.serve_forever, args=(0.05,), daemon=True).start()
    sending = OTLPSpanExporter(endpoint=f"http://127.0.0.1:{server.server_port}/v1/traces")
    provider = provider_with(SimpleSpanProcessor(sending))
    monkeypatch.setattr(trace, "get_tracer", provider.get_tracer)

    def found() -> list[Any]:
        read = [ExportTraceServiceRequest.FromString(body) for body in bodies]
        return [s for r in read for spans in r.resource_spans for scope in spans.scope_spans for s in scope.spans]

    yield found
    provider.shutdown()
    server.shutdown()
    server.server_close()


def facts_of(span: Any) -> dict[str, Any]:
    return {a.key: getattr(a.value, a.value.WhichOneof("value")) for a in span.attributes}


def test_a_request_is_a_span_named_by_its_route(sign_in: SignIn, collected: Callable[[], list[Any]]) -> None:
    """What stands in the address is in none."""
    ines = sign_in("ines")
    ines.get("/api/v1/record-types/tree", params={"q": "Ada Green"})
    ines.get("/api/v1/templates/999999")
    spans = {s.name: facts_of(s) for s in collected()}

    assert spans["GET /record-types/{name}"]["http.response.status_code"] == 200
    assert spans["GET /templates/{template_id}"]["http.response.status_code"] == 404
    assert "Ada Green" not in str(collected())


def test_a_run_is_a_span_with_its_number_and_end(
    services: Services, sign_in: SignIn, collected: Callable[[], list[Any]]
) -> None:
    ines = sign_in("ines")
    document = {
        "name": "Wards",
        "records": "ward",
        "columns": [{"id": "a", "heading": "A", "value": {"field": "name"}}],
    }
    template = ines.post("/api/v1/templates", json={"document": document}).json()["id"]
    run = ines.post("/api/v1/runs", json={"template_id": template, "use": "draft"}).json()["id"]
    execute(services, run)
    (span,) = [s for s in collected() if s.name == "run"]
    facts = facts_of(span)

    assert (facts["bouquet.run"], facts["bouquet.status"]) == (run, "ready")
    assert not any("Wards" in str(value) for value in facts.values())


def test_nothing_is_sent_where_nobody_said_to_whom(monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ENDPOINTS:
        monkeypatch.delenv(name, raising=False)
    told: list[Any] = []
    monkeypatch.setattr(trace, "set_tracer_provider", told.append)
    configure_traces()
    assert (told, trace_number()) == ([], None)
