"""How far eyes, hands and numbers can be trusted."""
