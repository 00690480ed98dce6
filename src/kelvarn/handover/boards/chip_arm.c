/* Where the 32-bit machine of the proof begins: its stack, and the start of the C library. */
__asm__(".section .vectors, \"a\"\n.word __stack\n.word _start\n.text");

typedef int translation_unit_is_not_empty;
