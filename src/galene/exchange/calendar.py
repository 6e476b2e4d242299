"""What is due as a calendar (RFC 5545): one whole-day event a vehicle, under a lasting id, so that
a later date moves it and a vehicle that is here takes it off."""

from collections.abc import Iterable
from datetime import datetime, timedelta

from icalendar import Calendar, Event

from galene.core.learning.due_vehicle import DueVehicle

PRODUCT = "-//Galene//What is due//EN"


def calendar_of(due: Iterable[DueVehicle], title: str, now: datetime) -> bytes:
    """The calendar's text.

    Parameters
    ----------
    due : vehicles with their dates
    title : what a reader shows it as
    now : when it is made
    """
    calendar = Calendar()
    calendar.add("prodid", PRODUCT)
    calendar.add("version", "2.0")
    calendar.add("method", "PUBLISH")
    calendar.add("x-wr-calname", title)
    calendar.add("refresh-interval", timedelta(hours=12), parameters={"VALUE": "DURATION"})
    for one in due:
        event = Event()
        event.add("uid", f"due-{one.vehicle_id}@galene")
        event.add("dtstamp", now)
        event.add("last-modified", one.signed_at)
        event.add("sequence", one.sequence)
        event.add("dtstart", one.on)
        event.add("dtend", one.on + timedelta(days=1))
        event.add("transp", "TRANSPARENT")
        event.add("summary", f"{one.plate}: {', '.join(one.parts) or 'next look'}")
        event.add(
            "description",
            f"{one.model}. Four chances in five: {one.low.isoformat()} to {one.high.isoformat()}."
            f" {one.look.reason[:1].upper()}{one.look.reason[1:]}.",
        )
        # What is in the workshop now is done there: the date falls away until it is signed.
        event.add("status", "CANCELLED" if one.standing == "here" else "CONFIRMED")
        calendar.add_component(event)
    return bytes(calendar.to_ical())
