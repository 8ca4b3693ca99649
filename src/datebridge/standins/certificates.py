"""Certificates of the stand-ins: one nobody vouches for, and an authority with a server's and a client's."""

from __future__ import annotations

import datetime
import ipaddress
from pathlib import Path
from typing import NamedTuple

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

_START = datetime.datetime(2020, 1, 1, tzinfo=datetime.UTC)


class Signed(NamedTuple):
    """Files of a server: its certificate and key, those of the authority, and a client's certificate with its key."""

    certificate: Path
    key: Path
    authority: Path
    client: Path


def self_signed(folder: Path) -> tuple[Path, Path]:
    """A certificate nobody vouches for, in a name that is not this host's."""
    certificate, private = folder / "certificate.pem", folder / "certificate-key.pem"
    if not certificate.is_file():
        key = ec.generate_private_key(ec.SECP256R1())
        name = _name("lantern.example")
        made = _begun(name, name, key).sign(key, hashes.SHA256())
        certificate.write_bytes(made.public_bytes(serialization.Encoding.PEM))
        private.write_bytes(_pem(key))
    return certificate, private


def by_authority(folder: Path) -> Signed:
    """A server's certificate for this machine, and a client's, both by an authority that only a few know."""
    files = Signed(*(folder / f"harbour-{name}.pem" for name in ("server", "server-key", "authority", "client")))
    if files.client.is_file():
        return files
    authority_key = ec.generate_private_key(ec.SECP256R1())
    issuer = _name("Skerrow Harbour Authority")
    authority = (
        _begun(issuer, issuer, authority_key)
        .add_extension(x509.BasicConstraints(ca=True, path_length=None), critical=True)
        .add_extension(x509.SubjectKeyIdentifier.from_public_key(authority_key.public_key()), critical=False)
        .sign(authority_key, hashes.SHA256())
    )
    files.authority.write_bytes(authority.public_bytes(serialization.Encoding.PEM))
    server_key, client_key = (ec.generate_private_key(ec.SECP256R1()) for _ in range(2))
    names = [x509.IPAddress(ipaddress.ip_address("127.0.0.1")), x509.DNSName("localhost")]
    server = (
        _begun(_name("halyard.example"), issuer, server_key)
        .add_extension(x509.SubjectAlternativeName(names), critical=False)
        .sign(authority_key, hashes.SHA256())
    )
    client = _begun(_name("Harbour Office"), issuer, client_key).sign(authority_key, hashes.SHA256())
    files.certificate.write_bytes(server.public_bytes(serialization.Encoding.PEM))
    files.key.write_bytes(_pem(server_key))
    files.client.write_bytes(client.public_bytes(serialization.Encoding.PEM) + _pem(client_key))
    return files


def _name(text: str) -> x509.Name:
    return x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, text)])


def _begun(subject: x509.Name, issuer: x509.Name, key: ec.EllipticCurvePrivateKey) -> x509.CertificateBuilder:
    return (
        x509.CertificateBuilder()
        .subject_name(subject)
        .issuer_name(issuer)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(_START)
        .not_valid_after(_START + datetime.timedelta(days=36500))
    )


def _pem(key: ec.EllipticCurvePrivateKey) -> bytes:
    return key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
