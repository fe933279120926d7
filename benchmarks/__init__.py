"""What `make bench` runs: ratios measured in one run on one machine. Nothing here is a timed test."""
