"""What a job can choose between: how power is first applied, which capacitors are replaced, which chips get sockets.

Where practitioners disagree, each way has its reason.
"""

from loyal_trace.core.vocabulary.phrases import say

AS_FOUND, RENEW_FIRST, BY_RISK = say("test as found"), say("replace capacitors first"), say("by risk")
FIRST_POWER = {
    AS_FOUND: say("a baseline first: known what worked before"),
    RENEW_FIRST: say("forty-year-old electrolytics can do damage; replacing them gives a reliable baseline"),
    BY_RISK: say("rails checked with a current limit, then a short test"),
}
FIRST_POWER_ALIASES = {"decide by risk": BY_RISK, "renew first": RENEW_FIRST, "renew capacitors first": RENEW_FIRST}

WHAT_IS_BAD, ELECTROLYTICS, TANTALUMS, ALL = "what is bad", "electrolytics", "tantalums", "capacitors"
KIT_CHOICES = {
    WHAT_IS_BAD: say("measured bad, suspected, or on the service list"),
    ELECTROLYTICS: say("all electrolytics, measured or not"),
    TANTALUMS: say("all tantalums"),
    ALL: say("all capacitors"),
}

EVERY, SOME, NEVER = say("socket everything"), say("socket what is replaced"), say("never socket")
SOCKET_CHOICES = (EVERY, SOME, NEVER)
DIAGNOSTICS_FIRST = "first"
