"""Series reasoning: what is wrong with a series, what makes one of singles or pieces, and the proof that it happens."""
