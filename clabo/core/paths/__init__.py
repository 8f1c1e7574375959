"""How far visitors came along steps, what came before and after a page, and links that lead elsewhere."""
