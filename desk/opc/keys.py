"""What the desk shows a server: its own certificate, made once; and the one key that closes passwords."""

import base64
import hashlib
import os
import socket
from datetime import UTC, datetime, timedelta
from pathlib import Path

from django.conf import settings

from desk.kit.keyfile import kept_key

YEARS = 10
URI = "urn:fox-vat:desk"


def _folder() -> Path:
    folder = Path(settings.DATA) / "plant"
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    return folder


def _box():
    from cryptography.fernet import Fernet

    key = hashlib.sha256(kept_key(_folder() / "password_key").encode()).digest()
    return Fernet(base64.urlsafe_b64encode(key))


def closed(password: str) -> str:
    """A password as it is kept; empty for none."""
    return _box().encrypt(password.encode()).decode() if password else ""


def opened(secret: str) -> str:
    """A kept password; empty for none, or where its key is gone."""
    from cryptography.fernet import InvalidToken

    if not secret:
        return ""
    try:
        return _box().decrypt(secret.encode()).decode()
    except InvalidToken:
        return ""


def fingerprint(certificate: bytes) -> str:
    """SHA-256 of a certificate in DER, as hexadecimal digits."""
    return hashlib.sha256(certificate).hexdigest()


def own_certificate() -> tuple[Path, Path]:
    """The desk's own certificate (DER) and its key (PEM), made where there is none: self-signed, for ten years."""
    folder = _folder()
    certificate, key = folder / "desk.der", folder / "desk.pem"
    if not (certificate.exists() and key.exists()):
        _make(certificate, key)
    return certificate, key


def _make(certificate: Path, key: Path) -> None:
    from cryptography import x509
    from cryptography.hazmat.primitives import hashes, serialization
    from cryptography.hazmat.primitives.asymmetric import rsa
    from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

    made = rsa.generate_private_key(public_exponent=65537, key_size=2048)
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Fox Vat")])
    now = datetime.now(UTC)
    may = ("digital_signature", "key_encipherment", "key_cert_sign", "content_commitment", "data_encipherment")
    use = dict.fromkeys(may, True) | dict.fromkeys(("key_agreement", "crl_sign", "encipher_only", "decipher_only"), False)
    told = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(made.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=365 * YEARS))
        .add_extension(
            x509.SubjectAlternativeName(
                [x509.UniformResourceIdentifier(URI), x509.DNSName(socket.gethostname() or "localhost")]
            ),
            critical=False,
        )
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .add_extension(x509.KeyUsage(**use), critical=True)
        .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.CLIENT_AUTH]), critical=False)
        .sign(made, hashes.SHA256())
    )
    plain = made.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    for path, content in ((key, plain), (certificate, told.public_bytes(serialization.Encoding.DER))):
        part = path.with_name(f".{path.name}-{os.getpid()}")
        part.write_bytes(content)
        part.chmod(0o600)
        part.replace(path)
