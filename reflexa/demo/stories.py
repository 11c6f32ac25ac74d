"""What each take of the demo shows: what is wrong with its clip, and which step fixes it."""

from __future__ import annotations

STORIES = {
    "Haul, port side": (
        "The rope is hauled on the starboard side only. Swap sides gives the port side, with the right hand's work "
        "done by the left."
    ),
    "Walk, chin up": (
        "The deckhand looks at the planks. One correction lifts head and chest through the whole clip; nothing else "
        "moves."
    ),
    "Lantern to the other hand": (
        "The lantern hangs too low for a while, and is in the wrong hand. A keyed correction lifts it; the mirror "
        "changes hands."
    ),
    "Step up, right foot first": (
        "The left foot goes first. After the mirror the figure stands too straight: a correction leans the upper body"
        " into the step."
    ),
    "Walk on the spot": ("Nothing is done yet: a clip to try things on. Pull a hand in the picture."),
    "Walk, as the Ferrykeeper": (
        "Another build, other names and axes. Retarget keeps the feet where they stand, and the stride at the size of"
        " the legs."
    ),
    "Haul to starboard, as the Ferrykeeper": (
        "First the other side, then the other figure: hands stay on one rope, and the arms out of the coat."
    ),
    "Winch, marks put back": (
        "The marks for hands and feet are not where hands and feet are: engines take them for the truth. Helper "
        "joints puts them back."
    ),
    "Walk with the lantern": (
        "The walk needs an arm that holds a lantern. A blend takes that arm from another clip, fading in over the "
        "shoulder."
    ),
    "A heavier haul": ("The haul looks too light: a third of its own change is added once more."),
    "Strut, other leg first": ("A heron is no person: legs, wings and feathers have their partners all the same."),
    "Walk, travel from its feet": (
        "The clip is walked on the spot. How far it travels is read off the feet that stand."
    ),
    "Walk along the quay": (
        "A straight walk is led along a drawn path; the feet are locked again where they come to stand."
    ),
    "Walk, skating fixed": (
        "The feet skate: eight stances slide by up to 11 cm. Foot lock holds each where it stands, and the knees take up"
        " the rest."
    ),
    "Haul, feet out of the planks": (
        "The feet are 6 cm in the planks. Foot lock puts the whole figure onto them, then each foot."
    ),
    "Step up onto the jetty": ("The step is 45 cm high, and the clip does not know. Foot lock places the foot on it."),
    "Winch, hands on the crank": (
        "The hands miss the grips of the crank. A step Reach for each hand takes it there and keeps it."
    ),
    "Strut, feathers following": ("Tail and wings are stiff. Follow-through lets them come after what leads them."),
    "Walk, loop closed": (
        "The clip jumps where it begins again. Close loop finds two frames that match, and spreads what is left."
    ),
    "Haul, tail trimmed": ("Rest-pose frames hang on at the end. Trim finds them and leaves them out."),
    "Idle, at its own pace": (
        "The file asks to be played at 0.4 of its speed, which engines ignore. Retime puts that into frames."
    ),
    "Haul, wind-up slowed": (
        "The wind-up is over too soon. A drawn curve of time slows it, and leaves the pull as it was."
    ),
    "Walk, other foot first": ("The loop is to begin with the right foot. Cycle turns it round its seam."),
    "Ashore, and look round": ("Two clips in a row, crossfaded while one foot stands; events come from the steps."),
    "Strut and call, twice as fast": ("The whole of it twice as fast, events and all."),
}
