/* What a board calls: the start, then a step again and again. */
#ifndef PROGRAM_H
#define PROGRAM_H

#include <stdbool.h>

#include "numbers.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Outputs safe, then what was stored. False where a setting is out of its range: no step may follow. */
bool program_start(void);

/* Nothing but what is said on the line, where nothing is to be decided. */
void program_rest(void);

/* Set an adjustable setting by its place, and store it at once; false outside of its range. */
bool program_adjust(uint8_t place, real value);

/* What an output is at, 0...1. */
real program_level(int32_t output);

/* Store what outlives a power cut. */
void program_store(void);

/* A sample where one is due, and the outputs brought to where they are to be; at least once a millisecond. */
void program_step(void);

#ifdef __cplusplus
}
#endif

#endif
