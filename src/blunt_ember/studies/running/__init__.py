"""Many cases solved, here, in processes or on a cluster, and every row of them kept."""
