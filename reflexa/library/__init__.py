"""Library: folders of clips outside any project, what is known of each clip in them, and finding the right one.

The index is a cache in the user's folder for such: lost or damaged, it is made anew. What people say of clips (tags, stars, sets)
lies in a readable file beside the library folder, and is the only thing that is ever written there.
"""
