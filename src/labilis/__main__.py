"""`python -m labilis`."""

from labilis.cli.main import main

if __name__ == "__main__":
    main()
