/* The line protocol: what a person at a terminal, or Kelvarn, says to the program and hears of it. */
#ifndef LINE_H
#define LINE_H

#include "control.h"

/* Before the first step. */
void line_start(void);

/* Take what has arrived, let leases run out, say one line of what is to be said; no sample follows while it rests. */
void line_step(uint32_t now_ms, bool is_resting);

/* Do what the line that was begun says, as if it had arrived in a frame that was checked; whether it is taken. */
bool line_order(void);

/* Whether something was said that a sample must act on at once. */
bool line_wants_sample(void);

/* What was said, as inputs of this sample. */
void line_inputs(Inputs *into);

/* A sample was taken: totals of a test, answers that waited for it, what is watched. */
void line_sampled(uint32_t now_ms, uint32_t passed_ms);

#endif
