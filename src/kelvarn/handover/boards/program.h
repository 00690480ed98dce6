/* What a board calls: the start, then a step again and again. */
#ifndef PROGRAM_H
#define PROGRAM_H

#include <stdbool.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Outputs safe, then what was stored. False where a setting is out of its range: no step may follow. */
bool program_start(void);

/* A sample where one is due, and the outputs brought to where they are to be; at least once a millisecond. */
void program_step(void);

#ifdef __cplusplus
}
#endif

#endif
