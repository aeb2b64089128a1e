"""The frame around the stations: rail, carrier strip, go-to box, notices."""
