"""The kitchen's own authority, and the certificate that it gives this machine.

The authority may vouch for names and addresses of a home's or a firm's own network only (a
name constraint): who trusts it trusts it for nothing in the world outside.
"""

import hashlib
import ipaddress
import os
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

AUTHORITY_LASTS, LEAF_LASTS = timedelta(days=3650), timedelta(days=180)
RENEW_BEFORE = timedelta(days=30)
BACKDATED = timedelta(days=2)
"""A phone whose clock is behind still trusts what was made this minute."""
OWN_NAMES = ("local", "localhost", "lan", "internal", "home.arpa")
OWN_NETWORKS = (
    "10.0.0.0/8",
    "100.64.0.0/10",
    "127.0.0.0/8",
    "169.254.0.0/16",
    "172.16.0.0/12",
    "192.168.0.0/16",
    "192.0.2.0/24",
    "198.18.0.0/15",
    "198.51.100.0/24",
    "203.0.113.0/24",
    "::1/128",
    "fc00::/7",
    "fe80::/10",
)
"""Addresses that are never another's on the internet; those for documents and tests too."""
AUTHORITY_KEY, AUTHORITY = "authority.key", "authority.crt"
LEAF_KEY, LEAF = "machine.key", "machine.crt"
Key = ec.EllipticCurvePrivateKey


@dataclass(frozen=True)
class Certified:
    """What a server needs to prove who it is."""

    chain: Path
    key: Path
    ends_at: datetime


class Authority:
    """The kitchen's authority, made where there is none, in a folder of the owner's only.

    Args:
        folder: where the keys are.
    """

    def __init__(self, folder: Path, now: datetime) -> None:
        self._folder = folder
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        folder.chmod(0o700)
        key, crt = folder / AUTHORITY_KEY, folder / AUTHORITY
        if not _fits(key, crt) or _certificate(crt).not_valid_after_utc < now:
            made = ec.generate_private_key(ec.SECP256R1())
            _write(key, _pem_of(made))
            _write(crt, _pem(_own_certificate(made, now)))
        self._key, self._certificate = _key(key), _certificate(crt)

    @property
    def der(self) -> bytes:
        """The authority's certificate, as phones take it in."""
        return self._certificate.public_bytes(serialization.Encoding.DER)

    @property
    def pem(self) -> bytes:
        """The authority's certificate as text, for programs."""
        return _pem(self._certificate)

    @property
    def fingerprint(self) -> str:
        """SHA-256 in pairs, as phones and browsers show it."""
        return ":".join(f"{byte:02X}" for byte in hashlib.sha256(self.der).digest())

    def certify(self, names: list[str], addresses: list[str], now: datetime) -> Certified:
        """A certificate of this machine for its names and addresses: the one that is there, as long
        as it covers them and does not end soon, else a new one with a new key."""
        key, crt = self._folder / LEAF_KEY, self._folder / LEAF
        wanted = _names(names, addresses)
        if not (_fits(key, crt) and self._still_good(crt, wanted, now)):
            made = ec.generate_private_key(ec.SECP256R1())
            leaf = self._leaf(made, wanted, now)
            _write(key, _pem_of(made))
            _write(crt, _pem(leaf))
        return Certified(crt, key, _certificate(crt).not_valid_after_utc)

    def _still_good(self, crt: Path, wanted: list[x509.GeneralName], now: datetime) -> bool:
        try:
            leaf = _certificate(crt)
            leaf.verify_directly_issued_by(self._certificate)
            had = leaf.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
        except Exception:  # whatever is wrong with it, a new one is right
            return False
        lasts = leaf.not_valid_before_utc <= now < leaf.not_valid_after_utc - RENEW_BEFORE
        return lasts and set(wanted) <= set(had)

    def _leaf(self, key: Key, wanted: list[x509.GeneralName], now: datetime) -> x509.Certificate:
        ends = min(now + LEAF_LASTS, self._certificate.not_valid_after_utc)
        vouching = self._certificate.extensions.get_extension_for_class(x509.SubjectKeyIdentifier)
        return (
            _begun("This machine", now, ends)
            .issuer_name(self._certificate.subject)
            .public_key(key.public_key())
            .add_extension(x509.SubjectAlternativeName(wanted), critical=False)
            .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
            .add_extension(_usage(signs_certificates=False), critical=True)
            .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
            .add_extension(
                x509.AuthorityKeyIdentifier.from_issuer_subject_key_identifier(vouching.value), critical=False
            )
            .add_extension(x509.SubjectKeyIdentifier.from_public_key(key.public_key()), critical=False)
            .sign(self._key, hashes.SHA256())
        )


def _fits(key: Path, crt: Path) -> bool:
    """Whether both are there, whole, and of each other: one may be newer after a crash."""
    try:
        return _key(key).public_key() == _certificate(crt).public_key()
    except (OSError, ValueError, TypeError):
        return False


def _key(path: Path) -> Key:
    loaded = serialization.load_pem_private_key(path.read_bytes(), None)
    if not isinstance(loaded, ec.EllipticCurvePrivateKey):
        raise ValueError("a key of another sort")
    return loaded


def is_own(address: str) -> bool:
    """Whether an address is of a network of one's own, which the authority may vouch for."""
    try:
        of = ipaddress.ip_address(address)
    except ValueError:
        return False
    networks = (ipaddress.ip_network(text) for text in OWN_NETWORKS)
    return any(of.version == net.version and of in net for net in networks)


def _own_certificate(key: Key, now: datetime) -> x509.Certificate:
    # Whoever shakes hands is shown it, let in or not: it does not say whose kitchen this is.
    name = f"Lumbrel, kitchen {key.public_key().public_numbers().x:064x}"[:32]
    permitted: list[x509.GeneralName] = [x509.DNSName(text) for text in OWN_NAMES]
    permitted += [x509.IPAddress(ipaddress.ip_network(text)) for text in OWN_NETWORKS]
    return (
        _begun(name, now, now + AUTHORITY_LASTS)
        .issuer_name(_name(name))
        .public_key(key.public_key())
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
        .add_extension(_usage(signs_certificates=True), critical=True)
        # Not critical: phones and browsers keep to it all the same, and libraries of small boards
        # refuse a certificate with a critical extension that they do not know.
        .add_extension(x509.NameConstraints(permitted, None), critical=False)
        .add_extension(x509.SubjectKeyIdentifier.from_public_key(key.public_key()), critical=False)
        .sign(key, hashes.SHA256())
    )


def _begun(name: str, now: datetime, ends: datetime) -> x509.CertificateBuilder:
    return (
        x509.CertificateBuilder()
        .subject_name(_name(name))
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - BACKDATED)
        .not_valid_after(ends)
    )


def _name(name: str) -> x509.Name:
    return x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, name[:64])])


def _usage(*, signs_certificates: bool) -> x509.KeyUsage:
    return x509.KeyUsage(
        digital_signature=not signs_certificates,
        content_commitment=False,
        key_encipherment=False,
        data_encipherment=False,
        key_agreement=False,
        key_cert_sign=signs_certificates,
        crl_sign=signs_certificates,
        encipher_only=False,
        decipher_only=False,
    )


def _names(names: list[str], addresses: list[str]) -> list[x509.GeneralName]:
    found: list[x509.GeneralName] = [x509.DNSName(name) for name in names]
    return found + [x509.IPAddress(ipaddress.ip_address(text)) for text in addresses]


def _certificate(path: Path) -> x509.Certificate:
    return x509.load_pem_x509_certificate(path.read_bytes())


def _pem(certificate: x509.Certificate) -> bytes:
    return certificate.public_bytes(serialization.Encoding.PEM)


def _pem_of(key: Key) -> bytes:
    return key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )


def _write(path: Path, content: bytes) -> None:
    """Whole or not at all, and readable by the owner only from its first byte."""
    fresh = path.with_suffix(path.suffix + ".new")
    fresh.unlink(missing_ok=True)
    handle = os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(handle, "wb") as file:
        file.write(content)
        file.flush()
        os.fsync(file.fileno())
    fresh.replace(path)
