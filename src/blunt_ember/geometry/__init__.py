"""From the stated body to regions and named surfaces, in metres."""
