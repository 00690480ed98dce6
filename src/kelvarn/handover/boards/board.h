/* What a board does for the program: a handful of functions, and no arithmetic of control. */
#ifndef BOARD_H
#define BOARD_H

#include "control.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Watchdog held, outputs at their safe level: this comes before anything else. */
void board_start(void);

/* Milliseconds since the start, by a clock that wraps. */
uint32_t board_now_ms(void);

/* For how long there was no power, ms; 0 where no clock says so. */
int32_t board_away_ms(void);

/* What a probe has: the count of its converter, or degC of one without. False where there is none. */
bool board_read_raw(int32_t probe, real *raw);

/* What pins, a person and a network say. */
void board_read_inputs(Inputs *inputs);

/* Bring an output to a level, 0...1. */
void board_set_output(int32_t drive, real level);

/* Let the contactor of the drives, and that of what heats by itself, drop out or close. */
void board_set_contactors(bool drives_closed, bool loads_closed);

/* Memory that outlives a power cut. */
void board_memory_read(uint16_t at, void *bytes, uint16_t count);
void board_memory_write(uint16_t at, const void *bytes, uint16_t count);

/* The next letter that has arrived on the line, below 0 where there is none; and a line that is said. */
int16_t board_get(void);
void board_put(const char *line);

/* Bytes that are sent as they are. */
void board_send(const uint8_t *bytes, uint8_t count);

/* Whether the watchdog restarted it; and whether two probes are of one kind, so that they may change places. */
bool board_started_by_watchdog(void);
bool board_may_swap(uint8_t probe, uint8_t other);

/* Each sample, decision and output has run: the watchdog may be fed. */
void board_alive(const Decision *decision);

/* Something for who looks: a line on a display, a terminal. */
void board_say(const char *text);

#ifdef __cplusplus
}
#endif

#endif
