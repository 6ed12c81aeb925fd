"""Runs the benchmarks and prints the tables for docs/benchmarks.md: python -m benchmarks"""

from benchmarks import speed


def main() -> None:
    print(speed.table())


if __name__ == "__main__":
    main()
