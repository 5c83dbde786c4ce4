"""Studies: a case solved again and again with other parameters, every answer kept."""
