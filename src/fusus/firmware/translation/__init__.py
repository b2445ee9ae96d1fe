"""From compiled kernels to C99: what runs here and what runs on the board come from one source."""
