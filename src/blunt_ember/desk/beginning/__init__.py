"""Where a case begins: the start page, the line a problem is noted in, and small pictures of cases."""
