"""What a case states, as sentences whose values are edited in place: what the sheet shows and a report says."""
