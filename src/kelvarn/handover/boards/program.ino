/* What the tool of these boards opens. All that there is to read stands in the other files. */
#include <Arduino.h>

#include "program.h"

extern bool board_goes_on(bool fits);

static bool fits;

void setup() {
    fits = program_start();
}

void loop() {
    if (board_goes_on(fits)) {
        program_step();
    }
}
