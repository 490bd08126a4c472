"""The build: a study as a list of features, evaluated so that changes travel only as far as they reach."""
