"""A link that was let go of stays let go of, whatever else was about to be done on it."""

import time

import pytest

from kelvarn.link.address import LinkAddress, link_address
from kelvarn.link.broker import Broker
from kelvarn.link.faults import LinkError
from kelvarn.link.practice.bus_outlet import BusTcpOutlet
from kelvarn.link.wire import open_wire
from tests.core.test_outside import broker, gcc, mosquitto, served

__all__ = ["broker"]


@gcc
def test_a_line_that_was_closed_is_not_opened_again_by_who_still_reads_it() -> None:
    outlet = BusTcpOutlet(0)
    with served(outlet):
        wire = open_wire(link_address(outlet.where))
        wire.write(b"watch 1\n")
        wire.close()
        time.sleep(0.2)  # a sample is looked for now and then
        with pytest.raises(LinkError, match="closed here"):
            wire.read(0.05)


@mosquitto
def test_a_broker_is_let_go_of_even_where_its_link_was_just_coming_back(
    broker: LinkAddress, monkeypatch: pytest.MonkeyPatch
) -> None:
    opened = Broker(broker, lambda *_: None, ("#",))
    opened.begin()
    client = opened._client
    line = client.socket()
    assert line is not None
    monkeypatch.setattr(client, "disconnect", lambda: None)  # as when it has no line yet that could be closed
    opened.close()
    assert line.fileno() == -1
