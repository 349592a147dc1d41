"""iCalendar (RFC 5545), by the icalendar package."""

from datetime import datetime, timedelta

from icalendar import Alarm, Calendar, Event


def invitation(uid: str, title: str, start: datetime, minutes: int, stamp: datetime, place: str) -> bytes:
    """One appointment as a calendar file, with a reminder the day before. `start` is aware, in the
    studio's time zone.
    """
    calendar = Calendar()
    calendar.add("prodid", "-//Merak//visit//EN")
    calendar.add("version", "2.0")
    calendar.add("method", "PUBLISH")
    event = Event()
    event.add("uid", uid)
    event.add("summary", title)
    event.add("dtstamp", stamp)
    event.add("dtstart", start)
    event.add("dtend", start + timedelta(minutes=minutes))
    event.add("location", place)
    reminder = Alarm()
    reminder.add("action", "DISPLAY")
    reminder.add("description", title)
    reminder.add("trigger", timedelta(days=-1))
    event.add_component(reminder)
    calendar.add_component(event)
    calendar.add_missing_timezones()
    return bytes(calendar.to_ical())
