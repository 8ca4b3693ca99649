"""iCalendar as text: content lines, components, reading whatever there is, writing it back as it came."""
