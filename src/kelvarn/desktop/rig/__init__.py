"""The Rig station: the heat path on top, temperatures of the bodies below, the selected part right.

places      where the parts of the heat path go
items       how they are drawn
heat_path   the view that holds them
panel       fields of the selected part, the drive, the probe and the surroundings
station     puts it together
"""
