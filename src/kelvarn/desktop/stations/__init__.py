"""The stations, and what they share.

station                       what each gives: commands, phrase, places, refresh
runner, remarks               what is computed for them, and what is remarked
pictures, report              what is drawn for files
rig/ fit/ control/ trial/ handover/   one each; none imports another
"""
