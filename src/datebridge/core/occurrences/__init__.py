"""When entries happen: series turned into occurrences, and questions to one series."""
