"""By which addresses is a server reached, from this machine and from others?"""

import socket

LOCAL_NAMES = ("127.0.0.1", "localhost", "[::1]")
EVERY_ADDRESS = ("0.0.0.0", "::")
# Of documentation (RFC 5737, RFC 3849): nothing is sent there, the system only says by which way.
ELSEWHERE = {socket.AF_INET: "192.0.2.1", socket.AF_INET6: "2001:db8::1"}


def as_written(host: str) -> str:
    """A host as it stands in an address: IPv6 in brackets."""
    return f"[{host}]" if ":" in host else host


def lets_others_in(host: str) -> bool:
    """Is a server that listens there reached from other machines?"""
    return as_written(host) not in LOCAL_NAMES


def own_addresses(*families: socket.AddressFamily) -> list[str]:
    """Those by which this machine is reached from others, as the system would answer them.

    families  of addresses; every one where none is named
    """
    found = []
    for family in families or ELSEWHERE:
        with socket.socket(family, socket.SOCK_DGRAM) as door:
            try:
                door.connect((ELSEWHERE[family], 9))
            except OSError:
                continue  # there is no way to others by this family
            found.append(door.getsockname()[0])
    return found


def addresses_of(host: str, port: int) -> tuple[str, list[str]]:
    """Where this machine finds a server that listens there, and where others do."""
    if not lets_others_in(host):
        return f"http://{as_written(host)}:{port}", []
    if host not in EVERY_ADDRESS:
        return f"https://{as_written(host)}:{port}", []
    here, family = {
        "0.0.0.0": ("127.0.0.1", socket.AF_INET),
        "::": ("[::1]", socket.AF_INET6),  # of its own family only
    }[host]
    others = [f"https://{as_written(address)}:{port}" for address in own_addresses(family)]
    return f"https://{here}:{port}", others
