"""`python -m tinrocket` is the `tinrocket` command."""

from tinrocket.cli.main import main

if __name__ == "__main__":
    main()
