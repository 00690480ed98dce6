/* What outlives a power cut, in two slots in turn: a cut while one is written leaves the other. */
#include "store.h"

#include "board.h"

typedef struct {
    uint32_t number; /* of the writing; the higher of two slots that are whole is the later one */
    Kept kept;
    uint16_t check; /* of all before it */
} Slot;

/* CRC-16 with the polynomial 0x1021, from 0xFFFF; a slot of zeros or of ones is not whole. */
static uint16_t check_of(const Slot *slot) {
    const uint8_t *bytes = (const uint8_t *)slot;
    uint16_t check = 0xFFFF;
    for (uint16_t k = 0; k < offsetof(Slot, check); k++) {
        check = (uint16_t)(check ^ (uint16_t)(bytes[k] << 8));
        for (uint8_t bit = 0; bit < 8; bit++) {
            check = (uint16_t)((check & 0x8000) != 0 ? (uint16_t)(check << 1) ^ 0x1021 : check << 1);
        }
    }
    return check;
}

static uint32_t last_number;

static bool read_slot(uint8_t place, Slot *slot) {
    board_memory_read((uint16_t)(place * sizeof *slot), slot, sizeof *slot);
    return slot->number != 0 && slot->check == check_of(slot);
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
    slot.check = check_of(&slot);
    board_memory_write((uint16_t)((last_number % 2) * sizeof slot), &slot, sizeof slot);
}
