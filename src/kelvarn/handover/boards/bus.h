/* The same program to the master of a Modbus line (RTU): registers are made of its points, and a write is an order. */
#ifndef BUS_H
#define BUS_H

#include <stdbool.h>
#include <stdint.h>

void bus_start(void);

/* Whether a byte is of a frame rather than of a line of text: the first one tells, a frame begins below the letters. */
bool bus_takes(uint8_t byte, bool in_line);
void bus_byte(uint8_t byte);

/* A frame is over once nothing more arrives; it is answered then. */
void bus_step(uint32_t passed_ms);

/* Whether a master was heard of late: nobody is told then what is noise. */
bool bus_is_shared(void);

#endif
