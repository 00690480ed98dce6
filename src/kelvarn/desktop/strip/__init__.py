"""The strip: lanes under one another on one time axis.

    content   what is shown: trial, candidates, results (made by the stations)
    axis      numbers to pixels, ticks
    trace     a million points to a line of pixels that keeps the peaks
    labels    texts that get out of the way of curves and of each other
    lane      what every lane has; temperature, drive, barcode and events are lanes
    handles   what can be dragged on the strip, and what dragging it means
    strip     the widget: zoom, cursor, gestures

It is painted here rather than by a plotting library: the library at hand took 119 ms a frame for four lanes with three
curves of 7200 points where 16 ms are allowed, and hatches, labels and handles would have had to be painted by hand in
any case.
"""
