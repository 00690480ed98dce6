/* What outlives a power cut. */
#ifndef STORE_H
#define STORE_H

#include <stddef.h>

#include "control.h"

/* What was stored last; false where nothing was, or nothing that is whole. */
bool store_read(Stored *stored);

/* Store it. */
void store_write(const Stored *stored);

#endif
