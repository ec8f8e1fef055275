"""Line: what is on the wire, and whether the port reads it."""
