/* What was ordered on the line: who decides, what is held and for how long, what the next sample must know. */
#ifndef ORDERS_H
#define ORDERS_H

#include "control.h"

typedef enum { OWN, HAND, TEST, OBEYS } Mode;

/* A lease: what it gives, for how long still, and who has it. */
typedef struct {
    uint32_t left_ms;
    uint16_t token;
    real value;
} Lease;

typedef struct {
    Mode mode, mode_before;
    Lease drive, nudge, nearer;
    int8_t alone; /* the drive that is held, below 0 for all */
    real heat_s, most_heat_s, limit_degC; /* of a test */
    uint16_t edits;
    uint32_t silent_ms;
    bool rests, wants_sample;
} Orders;

extern Orders orders;

void orders_start(void);

/* Let leases run out. */
void orders_step(uint32_t passed_ms, bool is_resting);

/* Do what a verb that acts orders, and answer; `stop` needs neither number nor check sum. */
void orders_do(const char *verb);
void orders_stop(void);

/* Whether an answer waits for the next sample. */
bool orders_wait(void);

/* What was said, as inputs of this sample; and what the sample that was taken means for a test. */
void orders_inputs(Inputs *into);
void orders_sampled(uint32_t passed_ms);

#endif
