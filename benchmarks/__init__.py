"""What `make bench` runs: ratios measured in one run on one machine. Nothing here is a timed test."""

import yellowfen  # noqa: F401  before numpy: linear algebra with one thread, as in the product
