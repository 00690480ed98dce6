/* What happened last, to be told on the line. */
#include "events.h"

#include <string.h>

#include "board.h"
#include "orders.h"
#include "points.h"
#include "text.h"

#define EVENTS 8

typedef struct {
    uint32_t at_ms;
    real value;
    uint8_t happened, place;
} Event;

static Event events[EVENTS];
static uint8_t event_count;

void events_start(void) {
    event_count = 0;
    events_note(STARTED, 0, REAL(0.0));
}

void events_note(Happened happened, uint8_t place, real value) {
    if (event_count == EVENTS) {
        memmove(&events[0], &events[1], sizeof events - sizeof events[0]);
        event_count--;
    }
    events[event_count].at_ms = board_now_ms();
    events[event_count].happened = (uint8_t)happened;
    events[event_count].place = place;
    events[event_count].value = value;
    event_count++;
}

uint8_t events_count(void) {
    return event_count;
}

void events_put(uint8_t which) {
    const Event *const event = &events[which];
    text_put(SAID("event "));
    text_whole((board_now_ms() - event->at_ms) / 1000);
    text_letter(' ');
    switch ((Happened)event->happened) {
    case STARTED:
        text_put(SAID("started"));
        break;
    case STOPPED:
        text_put(SAID("stop"));
        break;
    case GOES_ON:
        text_put(SAID("again"));
        break;
    case BEGAN:
        text_put(SAID("begin"));
        break;
    case CHANGED_MODE:
        text_put(SAID("mode "));
        text_put(event->place == OWN ? SAID("own") : event->place == HAND ? SAID("hand") : event->place == TEST ? SAID("test")
                                                                                           : SAID("obeys"));
        break;
    case HELD:
        text_put(event->place == 0 ? SAID("held") : event->place == 1 ? SAID("setpoint held") : SAID("limits held"));
        text_space_number(event->value, 2);
        break;
    case LEASE_OVER:
        text_put(event->place == 0   ? SAID("lease over")
            : event->place == 1 ? SAID("setpoint lease over")
                                : SAID("limits lease over"));
        break;
    case TEST_OVER_HEAT:
    case TEST_OVER_LIMIT:
    case TEST_OVER_SILENCE:
        text_put(event->happened == TEST_OVER_HEAT    ? SAID("test over: heat")
            : event->happened == TEST_OVER_LIMIT ? SAID("test over: limit")
                                                 : SAID("test over: silence"));
        text_space_number(event->value, 0);
        break;
    case WROTE:
        text_put(SAID("set "));
        points_put_name(event->place);
        text_space_number(event->value, points_decimals(event->place));
        break;
    case AS_MADE:
        text_put(SAID("defaults"));
        break;
    case WAS_RESET:
        text_put(SAID("reset"));
        break;
    case BOUND:
        text_put(SAID("bind "));
        points_put_name((uint8_t)(PLAIN + event->place));
        text_space_number(event->value, 0);
        break;
    }
}
