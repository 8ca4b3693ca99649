"""The sample scenario: the Skerrow Marine Observatory leaves its old calendar server."""
