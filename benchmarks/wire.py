"""A kept connection that costs nearly nothing itself."""

import socket

import httpx

from builders.server import Server


class Wire:
    """One kept connection that costs nearly nothing itself: a request is one send, an answer is read by its length."""

    def __init__(self, server: Server, client: httpx.Client) -> None:
        self.socket = socket.create_connection(("127.0.0.1", server.port))
        cookies = "; ".join(f"{name}={value}" for name, value in client.cookies.items())
        self.always = f"host: bench\r\ncookie: {cookies}\r\nx-csrf-token: {client.headers['x-csrf-token']}\r\n"

    def ask(self, method: str, path: str, body: str = "", **headers: str) -> bytes:
        """One request; anything but 200 is an error."""
        named = "".join(f"{name.replace('_', '-')}: {value}\r\n" for name, value in headers.items())
        head = f"{method} {path} HTTP/1.1\r\n{self.always}{named}content-length: {len(body.encode())}\r\n\r\n"
        self.socket.sendall((head + body).encode())
        read = b""
        while b"\r\n\r\n" not in read:
            more = self.socket.recv(65536)
            assert more, "the server closed this connection: it was idle too long"
            read += more
        top, _, rest = read.partition(b"\r\n\r\n")
        assert top.startswith(b"HTTP/1.1 200"), top
        length = int(top.lower().split(b"content-length: ")[1].split(b"\r\n")[0])
        while len(rest) < length:
            rest += self.socket.recv(65536)
        return rest
