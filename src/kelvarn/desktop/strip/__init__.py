"""The strip: lanes under one another on one time axis. It knows nothing of candidates, rigs or trials.

    lane       what a lane is given with: traces, bands, levels, spans, labels, handles (made in `desktop/lanes`)
    axis       numbers to pixels, ticks
    curves     a million points to a line of pixels that keeps the peaks
    labels     texts that get out of the way of curves and of each other
    painting   a lane's ground and what lies on it; blocks: spans in rows
    handles    where what can be dragged stands, and how it is drawn
    cursor     the cursor through all lanes, and what every trace reads there
    zoom       which part is shown, and the way back
    gestures   mouse and keys: zoom, cursor, drags
    canvas     the strip as a picture: lays lanes out and paints them
    strip      the widget: canvas and gestures

It is painted here rather than by a plotting library: the library at hand took 119 ms a frame for four lanes with three
curves of 7200 points where 16 ms are allowed, and hatches, labels and handles would have had to be painted by hand in
any case.
"""
