/* Runs the program of an 8-bit chip, instruction by instruction, with simavr's library.

       chip_runner PROGRAM HAPPENS DECIDED EEPROM STEP END

   HAPPENS is what one register of it reads, DECIDED what it writes to another; EEPROM the file of its memory, "-" for
   none. STEP is the address of the function whose time is taken, END the first address of memory that is free. At the
   end it prints the longest time of that function in cycles, and the deepest stack in bytes. */
#include <simavr/avr_eeprom.h>
#include <simavr/sim_avr.h>
#include <simavr/sim_elf.h>
#include <simavr/sim_io.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define TELLS 0x3E /* GPIOR0 */
#define TAKES 0x4A /* GPIOR1 */
#define PAINT 0xC5

static FILE *happens, *decides;
static int ended;

static uint8_t take(struct avr_t *avr, avr_io_addr_t at, void *of) {
    const int byte = fgetc(happens);
    (void)avr, (void)at, (void)of;
    ended = ended || byte == EOF;
    return (uint8_t)byte;
}

static void tell(struct avr_t *avr, avr_io_addr_t at, uint8_t byte, void *of) {
    (void)avr, (void)at, (void)of;
    fputc(byte, decides);
}

int main(int count, char **texts) {
    static elf_firmware_t program;
    if (count < 7 || elf_read_firmware(texts[1], &program) != 0) {
        return 2;
    }
    happens = fopen(texts[2], "rb");
    decides = fopen(texts[3], "wb");
    avr_t *avr = avr_make_mcu_by_name("atmega328p");
    if (happens == NULL || decides == NULL || avr == NULL) {
        return 2;
    }
    avr_init(avr);
    avr->log = LOG_ERROR;
    avr_load_firmware(avr, &program);
    avr->frequency = 16000000;
    avr_register_io_read(avr, TAKES, take, NULL);
    avr_register_io_write(avr, TELLS, tell, NULL);
    static uint8_t bytes[1024];
    memset(bytes, 0xFF, sizeof bytes);
    avr_eeprom_desc_t memory = {.ee = bytes, .offset = 0, .size = sizeof bytes};
    if (texts[4][0] != '-') {
        FILE *file = fopen(texts[4], "rb");
        if (file != NULL) {
            const size_t read = fread(bytes, 1, sizeof bytes, file);
            (void)read;
            fclose(file);
        }
    }
    avr_ioctl(avr, AVR_IOCTL_EEPROM_SET, &memory);
    const avr_flashaddr_t step = (avr_flashaddr_t)strtoul(texts[5], NULL, 0);
    const uint16_t end = (uint16_t)strtoul(texts[6], NULL, 0);
    memset(avr->data + end, PAINT, (size_t)(avr->ramend - end));
    avr_cycle_count_t begun = 0, longest = 0;
    uint16_t stack = 0;
    int state = cpu_Running;
    while (!ended && state != cpu_Done && state != cpu_Crashed) {
        if (avr->pc == step && stack == 0) {
            begun = avr->cycle;
            stack = (uint16_t)(avr->data[R_SPL] | avr->data[R_SPH] << 8);
        }
        state = avr_run(avr);
        if (stack != 0 && (avr->data[R_SPL] | avr->data[R_SPH] << 8) > stack) {
            longest = avr->cycle - begun > longest ? avr->cycle - begun : longest;
            stack = 0;
        }
    }
    uint16_t free_bytes = 0;
    while (end + free_bytes < avr->ramend && avr->data[end + free_bytes] == PAINT) {
        free_bytes++;
    }
    if (texts[4][0] != '-') {
        FILE *file = fopen(texts[4], "wb");
        avr_ioctl(avr, AVR_IOCTL_EEPROM_GET, &memory);
        if (file == NULL || fwrite(bytes, 1, sizeof bytes, file) != sizeof bytes) {
            return 2;
        }
        fclose(file);
    }
    printf("%lu %d\n", (unsigned long)longest, avr->ramend + 1 - end - free_bytes);
    fclose(decides);
    return ended ? 0 : 1;
}
