/* Runs the program of an 8-bit maker board and prints what its pins do, with simavr's library.

       pins_runner PROGRAM MILLISECONDS [CHANNEL=MILLIVOLT]...

   Of each change a line: the cycle, the pin's number on the board, 2 where it becomes an output and 3 where it no longer
   is, else its level. A reset is the line "cycle -1 0". */
#include <simavr/avr_adc.h>
#include <simavr/avr_ioport.h>
#include <simavr/sim_avr.h>
#include <simavr/sim_elf.h>
#include <stdio.h>
#include <stdlib.h>

static avr_t *avr;
static const struct {
    char name;
    int first;
} ports[] = {{'D', 0}, {'B', 8}};
static uint8_t directions[2];

static void pin_changed(struct avr_irq_t *irq, uint32_t level, void *number) {
    (void)irq;
    printf("%llu %d %d\n", (unsigned long long)avr->cycle, (int)(intptr_t)number, (int)(level & 1));
}

static void direction_changed(struct avr_irq_t *irq, uint32_t bits, void *place) {
    const int port = (int)(intptr_t)place;
    (void)irq;
    for (int bit = 0; bit < 8; bit++) {
        if (((bits ^ directions[port]) >> bit & 1) != 0) {
            printf("%llu %d %d\n", (unsigned long long)avr->cycle, ports[port].first + bit, (bits >> bit & 1) != 0 ? 2 : 3);
        }
    }
    directions[port] = (uint8_t)bits;
}

int main(int count, char **texts) {
    static elf_firmware_t program;
    if (count < 3 || elf_read_firmware(texts[1], &program) != 0 || (avr = avr_make_mcu_by_name("atmega328p")) == NULL) {
        return 2;
    }
    avr_init(avr);
    avr->log = LOG_ERROR;
    avr_load_firmware(avr, &program);
    avr->frequency = 16000000;
    avr->vcc = avr->avcc = avr->aref = 5000;
    for (int port = 0; port < 2; port++) {
        for (int bit = 0; bit < 8; bit++) {
            avr_irq_register_notify(avr_io_getirq(avr, AVR_IOCTL_IOPORT_GETIRQ(ports[port].name), bit), pin_changed,
                                    (void *)(intptr_t)(ports[port].first + bit));
        }
        avr_irq_register_notify(avr_io_getirq(avr, AVR_IOCTL_IOPORT_GETIRQ(ports[port].name), IOPORT_IRQ_DIRECTION_ALL),
                                direction_changed, (void *)(intptr_t)port);
    }
    uint32_t uart = 0; /* what it says is of no account here */
    avr_ioctl(avr, ('u' << 24 | 's' << 16 | 'f' << 8 | '0'), &uart);
    for (int place = 3; place < count; place++) {
        char *rest;
        const long channel = strtol(texts[place], &rest, 10);
        avr_raise_irq(avr_io_getirq(avr, AVR_IOCTL_ADC_GETIRQ, ADC_IRQ_ADC0 + (int)channel), (uint32_t)atol(rest + 1));
    }
    const avr_cycle_count_t until = (avr_cycle_count_t)atol(texts[2]) * 16000;
    avr_flashaddr_t before = 0;
    int state = cpu_Running;
    while (avr->cycle < until && state != cpu_Done && state != cpu_Crashed) {
        state = avr_run(avr);
        if (avr->pc == 0 && before != 0) {
            printf("%llu -1 0\n", (unsigned long long)avr->cycle);
        }
        before = avr->pc;
    }
    return state == cpu_Crashed ? 1 : 0;
}
