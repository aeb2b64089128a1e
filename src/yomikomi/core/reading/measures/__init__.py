"""One module a measurement. Most take looks: two consecutive frames, a pair every two seconds or so."""
