"""The line: units joined by streams, solved to the steady state with its recycles."""
