"""A broker: how it is reached, and the topics that are made of a device's points. Every order is a setting or a lease.

Below the base of a device, `kelvarn/RIG/PROGRAM` if nothing else is said:

    state               online or offline (the last will), kept by the broker
    about, points       who it is and what there is, as JSON, kept
    point/NAME          what a point is, as JSON, kept
    sample              each sample, as JSON, not kept
    set/NAME            to it: a setting, a number or JSON with value, was, who, id
    hold/DRIVE          to it: a lease, JSON with value, seconds, token, who, id
    order               to it: stop, again, begin, reset …, mode …; as text or JSON with order, who, id
    answer              what came of it, as JSON, not kept

An order that the broker has kept is none: it would act on whoever comes back.
"""

import logging
import socket
import ssl
import threading
import tomllib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion
from paho.mqtt.properties import Properties
from paho.mqtt.reasoncodes import ReasonCode
from platformdirs import user_config_path

from kelvarn.sentence import say

from .address import LinkAddress
from .faults import LinkError

Message = Callable[[str, bytes, bool], None]
"""Told the topic, the payload, and whether the broker had kept it."""

ORDERS = ("stop", "again", "begin", "reset", "mode")
"""First words of what the topic `order` takes."""
_KEEPS_ALIVE_S, _CONNECT_S = 10, 4.0
_LONGEST = 65_536

logging.getLogger("paho").setLevel(logging.CRITICAL)


@dataclass(frozen=True)
class Secrets:
    """How a broker lets one in; from a file outside of every project.

    Attributes:
        user, password: empty where it asks for none.
        authority: file of the certificate that its own is proved by; empty for those that the system trusts.
    """

    user: str = ""
    password: str = ""
    authority: str = ""


def secrets_of(address: LinkAddress, file: Path | None = None) -> Secrets:
    """What the user's file of brokers says of one.

    Args:
        address: of it.
        file: `brokers.toml`; None for that in the user's configuration folder. It has a table ["HOST:PORT"] for each,
            with user, password, authority.

    Raises:
        LinkError: the file cannot be read.
    """
    file = file or user_config_path("kelvarn") / "brokers.toml"
    try:
        with file.open("rb") as opened:
            found = tomllib.load(opened).get(f"{address.place}:{address.number}", {})
    except FileNotFoundError:
        return Secrets()
    except (OSError, tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise LinkError(say("{file} cannot be read: {error}.", file=file, error=error)) from None
    if not isinstance(found, dict) or any(not isinstance(found.get(name, ""), str) for name in _SECRET):
        raise LinkError(
            say('{file}: ["{place}:{number}"] may have user, password and authority, as text.', file=file,
                place=address.place, number=address.number)
        )  # fmt: skip
    return Secrets(*(found.get(name, "") for name in _SECRET))


_SECRET = ("user", "password", "authority")


class Broker:
    """A connection to a broker that comes back by itself.

    Args:
        address: kind mqtt or mqtts.
        on_message: told what arrives, on a thread of its own.
        will: topic whose kept `online` becomes `offline` when this is gone; empty for none.
        topics: that are listened to.

    Raises:
        LinkError: what lets one in cannot be read.
    """

    def __init__(
        self, address: LinkAddress, on_message: Message, topics: tuple[str, ...], will: str = ""
    ) -> None:  # fmt: skip
        self._address, self._where = address, str(address)
        self._topics, self._will, self._on_message = topics, will, on_message
        self._answered, self._subscribed = threading.Event(), threading.Event()
        self._refused = ""
        self.on_open: Callable[[], None] = lambda: None
        self._client = client = mqtt.Client(CallbackAPIVersion.VERSION2)
        secrets = secrets_of(address)
        if secrets.user:
            client.username_pw_set(secrets.user, secrets.password)
        self._trusts: ssl.SSLContext | None = None
        if address.kind == "mqtts":
            try:
                self._trusts = ssl.create_default_context(cafile=secrets.authority or None)
                client.tls_set_context(self._trusts)
            except (OSError, ssl.SSLError) as error:
                raise LinkError(
                    say(
                        "{authority}: no certificate can be read there: {error}.",
                        authority=secrets.authority,
                        error=error,
                    )
                ) from None
        if will:
            client.will_set(will, "offline", qos=1, retain=True)
        client.on_connect, client.on_message, client.on_subscribe = self._connected, self._message, self._heard
        client.on_connect_fail = lambda _client, _data: None
        client.reconnect_delay_set(1, 10)
        client.connect_timeout = _CONNECT_S

    def begin(self, *, waits: bool = False) -> None:
        """Connect.

        Args:
            waits: whether a broker that is not there yet is waited for, else it is said.

        Raises:
            LinkError: it is not there, does not let one in, or its certificate is not proved.
        """
        client, address = self._client, self._address
        try:
            if self._trusts is not None:
                self._prove(self._trusts)
            client.connect(address.place, address.number, _KEEPS_ALIVE_S)
        except ssl.SSLCertVerificationError as error:
            raise LinkError(
                say(
                    "{where}: its certificate is not proved: {why}.",
                    where=self._where,
                    why=error.verify_message,
                )
            ) from None
        except (OSError, ValueError) as error:
            if not waits:
                raise LinkError(
                    say("{where} cannot be reached: {error}. Is the broker on?", where=self._where, error=error)
                ) from None
            client.connect_async(address.place, address.number, _KEEPS_ALIVE_S)
        client.loop_start()
        if not waits and not self._answered.wait(_CONNECT_S):
            self.close()
            raise LinkError(say("{where} does not answer as a broker.", where=self._where))
        if not waits and self._refused:
            self.close()
            raise LinkError(
                say("{where} does not let Kelvarn in: {refused}. See brokers.toml in {folder}.", where=self._where,
                    refused=self._refused, folder=user_config_path("kelvarn"))
            )  # fmt: skip
        if self._topics and not waits:
            self._subscribed.wait(_CONNECT_S)

    def _prove(self, trusts: ssl.SSLContext) -> None:
        """See that its certificate is proved, on a connection of its own: the client would leave a refused one open."""
        where = self._address.place, self._address.number
        with (
            socket.create_connection(where, timeout=_CONNECT_S) as plain,
            trusts.wrap_socket(plain, server_hostname=self._address.place),
        ):
            pass

    def _connected(
        self, client: mqtt.Client, _data: object, _flags: object, code: ReasonCode, _props: Properties | None
    ) -> None:
        self._refused = str(code).lower() if code.is_failure else ""
        if not code.is_failure:
            for topic in self._topics:
                client.subscribe(topic, qos=1)
            if self._will:
                client.publish(self._will, "online", qos=1, retain=True)
            self.on_open()
        self._answered.set()

    def _heard(self, *_told: object) -> None:
        self._subscribed.set()

    def _message(self, _client: mqtt.Client, _data: object, message: mqtt.MQTTMessage) -> None:
        if len(message.payload) <= _LONGEST:
            self._on_message(message.topic, bytes(message.payload), bool(message.retain))

    @property
    def is_open(self) -> bool:
        """Whether there is a connection."""
        return bool(self._client.is_connected())

    def say(self, topic: str, payload: str, *, keeps: bool = False) -> None:
        """Publish something; without a connection it is gone, unless the broker is to keep it."""
        self._client.publish(topic, payload, qos=1 if keeps else 0, retain=keeps)

    def order(self, topic: str, payload: str) -> None:
        """Publish an order; raises LinkError where nobody can hear it: an order is never kept for later."""
        if not self.is_open:
            raise LinkError(say("{where} is lost.", where=self._where))
        self._client.publish(topic, payload, qos=0)

    def close(self) -> None:
        """Let go of the broker."""
        if self._will and self.is_open:
            self._client.publish(self._will, "offline", qos=1, retain=True).wait_for_publish(1.0)
        self._client.disconnect()
        self._client.loop_stop()
        left = self._client.socket()  # it was about to come back when it was told to go
        if left is not None:
            left.close()
