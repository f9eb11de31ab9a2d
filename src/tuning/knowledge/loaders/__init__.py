"""One loader for each domain of the knowledge files; each writes every problem down and goes on."""
