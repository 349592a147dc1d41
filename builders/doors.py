"""Every door of the application: what it answers, and by which method."""

from merak.server import make_app

#: Left out: signing out ends the run, and sign-ins are limited by count.
SKIPPED = {"/sign-out", "/sign-in", "/api/visits/{visit_id}/run/live"}


def doors() -> list[tuple[str, str]]:
    """(method, path) of everything that the application answers."""
    found = []
    rooms = [getattr(room, "original_router", None) for room in make_app().routes]
    for route in [route for room in rooms if room for route in room.routes]:
        path = getattr(route, "path", "")
        for method in getattr(route, "methods", None) or ():
            if method in ("GET", "POST", "DELETE") and path not in SKIPPED:
                found.append((method, path))
    assert len(found) > 100, "every door is known"
    return sorted(found)
