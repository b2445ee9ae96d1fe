"""Programs built and run apart from Fusus: the compiler, the sandbox, what goes in and out, and what a step costs."""
