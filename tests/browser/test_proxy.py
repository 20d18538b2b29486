"""The proxy that the documentation describes, tried: nginx with TLS before the application. Where it is not there, that is said."""

import http.client
import os
import shutil
import socket
import ssl
import subprocess
import time
from pathlib import Path

import pytest

DEPLOY = Path(__file__).resolve().parents[2] / "deploy"
# As root it is not always on the path.
NGINX = shutil.which("nginx") or shutil.which("nginx", path="/usr/sbin")


def a_port():
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        return free.getsockname()[1]


def is_up(port):
    with socket.socket() as trial:
        return trial.connect_ex(("127.0.0.1", port)) == 0


@pytest.fixture
def proxy(demo, tmp_path):
    """nginx with the file as it ships, but for names, ports and the certificate; the ports of http and https."""
    if NGINX is None:
        pytest.skip("nginx is not on this machine: its set-up was not tried.")
    key, certificate = tmp_path / "key.pem", tmp_path / "certificate.pem"
    names = "subjectAltName=DNS:localhost,DNS:*.localhost"
    asked = ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", "/CN=localhost"]
    asked += ["-addext", names, "-keyout", str(key), "-out", str(certificate)]
    subprocess.run(asked, check=True, capture_output=True)
    plain, secure = a_port(), a_port()
    text = (DEPLOY / "nginx.conf").read_text()
    for shipped, here in (
        ("training.example *.content.example", "localhost *.localhost"),
        ("/etc/ssl/stepladder/fullchain.pem", str(certificate)),
        ("/etc/ssl/stepladder/privkey.pem", str(key)),
        ("127.0.0.1:8000", f"127.0.0.1:{demo.port}"),
        ("listen 80;", f"listen 127.0.0.1:{plain};"),
        ("listen 443 ", f"listen 127.0.0.1:{secure} "),
    ):
        assert shipped in text
        text = text.replace(shipped, here)
    # Not every machine has the other family of addresses.
    text = "\n".join(line for line in text.splitlines() if "listen [::]" not in line)
    places = "\n".join(
        f"{what}_temp_path {tmp_path}/{what};" for what in ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
    )
    user = "user root;\n" if os.geteuid() == 0 else ""
    main = tmp_path / "nginx.conf"
    main.write_text(
        f"{user}pid {tmp_path}/pid;\nerror_log {tmp_path}/error.log;\nevents {{}}\n"
        f"http {{\naccess_log off;\n{places}\n{text}\n}}\n"
    )
    process = subprocess.Popen([NGINX, "-p", str(tmp_path), "-c", str(main), "-g", "daemon off;"])
    until = time.monotonic() + 20
    while not is_up(secure):
        assert process.poll() is None, (tmp_path / "error.log").read_text()
        assert time.monotonic() < until
        time.sleep(0.1)
    context = ssl.create_default_context(cafile=str(certificate))
    yield plain, secure, context
    process.terminate()
    process.wait(timeout=20)


def ask(connection, path, method="GET", body=None, **headers):
    connection.request(method, path, body, headers)
    answer = connection.getresponse()
    return answer, answer.read()


def test_the_application_is_served_by_tls_and_plain_addresses_lead_there(proxy):
    plain_port, secure_port, context = proxy
    plain = http_client(plain_port)
    answer, _ = ask(plain, "/records/?day=today", Host="localhost")
    assert (answer.status, answer.headers["Location"]) == (301, "https://localhost/records/?day=today")
    plain.close()
    secure = http_client(secure_port, context)
    answer, body = ask(secure, "/account/sign-in/")
    assert answer.status == 200
    assert b"Sign in" in body
    assert len(answer.headers["X-Request-ID"]) == 32
    # A content host is the same server's, and has none of the application's pages.
    answer, body = ask(secure, "/account/sign-in/", Host="abc.localhost")
    assert answer.status == 404
    # What is too large is told by the application in words, not by the proxy.
    secure.close()
    # Several times: where it left the body unread, the proxy often lost the answer.
    for _ in range(5):
        secure = http_client(secure_port, context)
        answer, body = ask(secure, "/account/sign-in/", "POST", b"x" * (40 * 1024**2))
        assert answer.status == 413
        assert b"larger than" in body
        secure.close()


def http_client(port, context=None):
    if context is None:
        return http.client.HTTPConnection("localhost", port, timeout=30)
    return http.client.HTTPSConnection("localhost", port, timeout=30, context=context)


@pytest.mark.skipif(
    not shutil.which("systemd-analyze"), reason="systemd is not on this machine: its units were not looked at."
)
def test_the_units_are_read_by_systemd(tmp_path):
    for unit in DEPLOY.glob("stepladder*"):
        text = unit.read_text().replace("/opt/stepladder/ladder", "/bin/true").replace("User=stepladder\n", "")
        (tmp_path / unit.name).write_text(text.replace("WorkingDirectory=/opt/stepladder", "WorkingDirectory=/"))
    asked = ["systemd-analyze", "verify", *map(str, sorted(tmp_path.iterdir()))]
    found = subprocess.run(asked, capture_output=True, text=True, check=False)
    about = [line for line in (found.stdout + found.stderr).splitlines() if "stepladder" in line]
    assert (found.returncode, about) == (0, [])
