"""Forms as data: each says once what it asks, and from that it is drawn, read, filled in and folded."""
