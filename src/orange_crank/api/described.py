"""The server's description of itself, made true where the framework cannot know: files and refusals."""

from typing import Any

# What an address that hands out a file answers with, by its end.
FILES: dict[str, tuple[str, ...]] = {
    ".csv": ("text/csv",),
    ".svg": ("image/svg+xml",),
    ".pdf": ("application/pdf",),
    ".html": ("text/html",),
    ".ics": ("text/calendar",),
    ".zip": ("application/zip",),
    ".wav": ("audio/wav",),
    "/sounds/{sound_id}/file": ("audio/wav",),
    "/captures/{capture_id}/file": ("text/csv", "application/zip"),
    "/lab/sweeps/{name}/file": ("text/csv",),
    "/photos/{photo_id}": ("image/jpeg",),
    "/fonts/{name}": ("font/woff2", "font/ttf"),
    "/api/moves": ("text/event-stream",),
    "/stream": ("text/event-stream",),
}

PROBLEM = "application/problem+json"


def describe(found: dict[str, Any]) -> dict[str, Any]:
    """Put the true media types into a description of the server, and return it."""
    for path, way in found["paths"].items():
        kinds = next((k for end, k in FILES.items() if path.endswith(end)), None)
        for operation in way.values():
            for status, answer in list(operation["responses"].items()):
                if status == "default":
                    # Every refusal has one shape: described once, referred to by each operation.
                    found["components"].setdefault("responses", {})["Problem"] = {
                        "description": answer["description"],
                        "content": {PROBLEM: next(iter(answer["content"].values()))},
                    }
                    operation["responses"][status] = {"$ref": "#/components/responses/Problem"}
                elif kinds is not None and status < "3":
                    answer["content"] = {
                        kind: {"schema": {"type": "string", "format": "binary"}} for kind in kinds
                    }
    return found
