"""Long hunts for faults, not part of the suite: `python -m tests.campaigns.NAME [COUNT [SEED]]`.

mutations  damaged and hostile project files: a sentence or a sound project, in time, in memory
kills      processes killed while they save and keep work: the old file or the new one, nothing beyond 2 s lost
hands      random deeds in the window over all demos: no exception, no message of Qt, undo restores, memory stays
"""
