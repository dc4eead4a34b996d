"""Plans: what is made when, so that the machine is never starved."""
