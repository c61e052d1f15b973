"""The simulated outside world, run as processes of its own. Nothing here knows anything of Skurrow."""
