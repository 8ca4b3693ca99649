"""What a target keeps of what it is given: the catalogue of features, rules learned by measuring, and the forecast."""
