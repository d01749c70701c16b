"""
Traces: what a request, a run or a delivery took how long for, sent by OpenTelemetry where the house says to whom.

The house says so by OpenTelemetry's own settings (`OTEL_EXPORTER_OTLP_ENDPOINT`, `OTEL_EXPORTER_OTLP_HEADERS`, …);
without an endpoint nothing is loaded and nothing is sent. Spans hold numbers, routes and states, never values of
records, names of people, or what was asked.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

from opentelemetry import trace

if TYPE_CHECKING:
    from opentelemetry.sdk.trace import SpanProcessor, TracerProvider

__all__ = ["TracedRequests", "configure_traces", "provider_with", "span", "trace_number"]

#: By either of these the house says where traces go.
ENDPOINTS = ("OTEL_EXPORTER_OTLP_TRACES_ENDPOINT", "OTEL_EXPORTER_OTLP_ENDPOINT")


def configure_traces() -> None:
    """
    Send traces where the environment says; do nothing where it does not.
    """
    if not any(os.environ.get(name) for name in ENDPOINTS):
        return
    from opentelemetry.exporter.otlp.proto.http.trace_exporter import OTLPSpanExporter
    from opentelemetry.sdk.trace.export import BatchSpanProcessor

    trace.set_tracer_provider(provider_with(BatchSpanProcessor(OTLPSpanExporter())))


def provider_with(processor: SpanProcessor) -> TracerProvider:
    """
    What makes spans and hands them to a processor. Its service is `bouquet`, unless `OTEL_SERVICE_NAME` says otherwise.
    """
    from opentelemetry.sdk.resources import Resource
    from opentelemetry.sdk.trace import TracerProvider

    named = {} if os.environ.get("OTEL_SERVICE_NAME") else {"service.name": "bouquet"}
    made = TracerProvider(resource=Resource.create(named))
    made.add_span_processor(processor)
    return made


@contextmanager
def span(name: str, **facts: Any) -> Iterator[trace.Span]:
    """
    A piece of work, within the one under way. `facts` are numbers, words and truths.
    """
    told = {f"bouquet.{fact}": value for fact, value in facts.items()}
    tracer = trace.get_tracer("bouquet")
    # An error's text may hold values; its kind does not.
    with tracer.start_as_current_span(name, attributes=told, record_exception=False) as made:
        yield made


def trace_number() -> str | None:
    """
    The number of the trace under way, as 32 hexadecimal digits; None where there is none.
    """
    context = trace.get_current_span().get_span_context()
    return f"{context.trace_id:032x}" if context.is_valid else None


class TracedRequests:
    """
    Wraps the application: each request is a span, named by its route, whatever stands in the address.
    """

    def __init__(self, app: Any) -> None:
        self.app = app

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        with span("request", method=scope["method"]) as made:

            async def answer(message: Any) -> None:
                if message["type"] == "http.response.start":
                    route = getattr(scope.get("route"), "path", "")
                    made.set_attribute("http.response.status_code", message["status"])
                    if route:
                        made.update_name(f"{scope['method']} {route}")
                        made.set_attribute("http.route", route)
                await send(message)

            await self.app(scope, receive, answer)
