/* What outlives a power cut, in two slots in turn: a cut while one is written leaves the other. */
#include "store.h"

#include "board.h"
#include "text.h"

typedef struct {
    uint32_t number; /* of the writing; the higher of two slots that are whole is the later one */
    Kept kept;
    uint16_t check; /* of all before it */
} Slot;

/* A slot of zeros or of ones is not whole. */
static uint16_t check_of_slot(const Slot *slot) {
    return check_of(slot, offsetof(Slot, check));
}

static uint32_t last_number;

static bool read_slot(uint8_t place, Slot *slot) {
    board_memory_read((uint16_t)(place * sizeof *slot), slot, sizeof *slot);
    return slot->number != 0 && slot->check == check_of_slot(slot);
}

bool store_read(Kept *kept) {
    Slot slot;
    last_number = 0;
    for (uint8_t place = 0; place < 2; place++) {
        if (read_slot(place, &slot) && slot.number > last_number) {
            last_number = slot.number;
            *kept = slot.kept;
        }
    }
    return last_number != 0;
}

void store_write(const Kept *kept) {
    Slot slot;
    memset(&slot, 0, sizeof slot);
    slot.number = ++last_number;
    slot.kept = *kept;
    slot.check = check_of_slot(&slot);
    board_memory_write((uint16_t)((last_number % 2) * sizeof slot), &slot, sizeof slot);
}
