"""Commands for developers: bench, screenshots, warming the compiled kernels."""
