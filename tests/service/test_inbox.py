"""What waits in the render process's inbox: of a drag's many messages the last of each kind is enough."""

from lunar_haze.service.channel import Channel
from lunar_haze.service.inbox import Inbox
from lunar_haze.service.protocol import Balance, Hold, KeepWithin, Want


def test_of_each_kind_the_last_is_taken_and_a_want_ends_what_was_balanced_before():
    here, there = Channel.pair()
    inbox = Inbox(there)
    try:
        for message in (
            Balance(1, (), False),
            Hold(True),
            Want("first"),
            Balance(2, (), False),
            KeepWithin(5),
            Hold(False),
        ):
            inbox._messages.put(message)
        assert inbox.has_more
        first = inbox.next()
        assert inbox.latest(first) == [Want("first"), Balance(2, (), False), KeepWithin(5), Hold(False)]
        assert not inbox.has_more
        assert inbox.next() is None
        inbox._messages.put(Balance(3, (), True))
        inbox._messages.put(Want("second"))
        assert inbox.latest(inbox.next(waits=True)) == [Want("second")]
        assert inbox.next(waits=True, timeout_s=0.01) is None
    finally:
        here.close()
        there.close()
