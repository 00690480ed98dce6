/* What happened last, to be told on the line. */
#ifndef EVENTS_H
#define EVENTS_H

#include "numbers.h"

typedef enum {
    STARTED, STOPPED, GOES_ON, BEGAN, CHANGED_MODE, HELD, LEASE_OVER, TEST_OVER_HEAT, TEST_OVER_LIMIT, TEST_OVER_SILENCE, WROTE,
    AS_MADE, WAS_RESET, BOUND
} Happened;

void events_start(void);
void events_note(Happened happened, uint8_t place, real value);
uint8_t events_count(void);

/* Say one, with how long ago it was. */
void events_put(uint8_t which);

#endif
