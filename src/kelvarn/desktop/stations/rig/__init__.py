"""The Rig station: the heat path on top, the open-loop step or the trial below, the selected part right.

keys        by what parts are selected
places      where vessels and drives go; ends and spots: where arrows and probes go
items       how they are drawn
heat_path   the view that holds them
parts       the bar that adds and removes, through actions
panel       fields of the selected part: sections of part_panel's pieces; worked_out: values from what things are
steps       the open-loop step, computed on a worker; play moves the cursor through it
words, foot what is said about the rig
station     puts it together
"""
