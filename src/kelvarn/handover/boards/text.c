/* Words and numbers of the line protocol, version 1, as docs/line-protocol.md of Kelvarn has it. */
#include "text.h"

#include <string.h>

#include "board.h"

#if defined(__AVR__)
#define LETTER(at) ((char)pgm_read_byte(at))
#else
#define LETTER(at) (*(at))
#endif

#define MOST_DIGITS 9

Heard heard;

static char said[LONGEST + 6], kept[LONGEST + 6];
static uint8_t length;
static bool keeps_answer, goes_nowhere, was_good;

uint16_t check_of(const void *bytes, uint16_t count) {
    const uint8_t *at = (const uint8_t *)bytes;
    uint16_t check = 0xFFFF;
    for (uint16_t k = 0; k < count; k++) {
        check = (uint16_t)(check ^ (uint16_t)((uint16_t)at[k] << 8));
        for (uint8_t bit = 0; bit < 8; bit++) {
            check = (uint16_t)((check & 0x8000) != 0 ? (uint16_t)(check << 1) ^ 0x1021 : check << 1);
        }
    }
    return check;
}

void text_begin(void) {
    length = 0;
}

void text_letter(char letter) {
    if (length < LONGEST - 5) {
        said[length++] = letter;
    }
}

uint16_t text_letters(uint8_t at) {
    const uint8_t first = at < length ? (uint8_t)said[at] : 0, second = at + 1 < length ? (uint8_t)said[at + 1] : 0;
    return (uint16_t)((uint16_t)first << 8 | second);
}

uint8_t text_take(char *line) {
    memcpy(line, said, length);
    return length;
}

void text_put(const char *text) {
    for (char letter = LETTER(text); letter != '\0'; letter = LETTER(++text)) {
        text_letter(letter);
    }
}

void text_whole(uint32_t value) {
    char digits[10];
    uint8_t count = 0;
    do {
        digits[count++] = (char)('0' + (char)(value % 10));
        value /= 10;
    } while (value > 0);
    while (count > 0) {
        text_letter(digits[--count]);
    }
}

void text_number(real value, uint8_t decimals) {
    uint32_t unit = 1;
    for (uint8_t k = 0; k < decimals; k++) {
        unit *= 10;
    }
    const bool below = value < REAL(0.0);
    real scaled = (below ? -value : value) * (real)unit + REAL(0.5);
    if (!(scaled < REAL(4294967040.0))) {
        scaled = REAL(4294967040.0);
    }
    const uint32_t whole = (uint32_t)scaled;
    if (below && whole > 0) {
        text_letter('-');
    }
    text_whole(whole / unit);
    if (decimals > 0) {
        text_letter('.');
        for (uint32_t rest = whole % unit, place = unit / 10; place > 0; place /= 10) {
            text_letter((char)('0' + (char)(rest / place % 10)));
        }
    }
}

void text_space_number(real value, uint8_t decimals) {
    text_letter(' ');
    text_number(value, decimals);
}

void text_say(bool with_sum) {
    if (goes_nowhere) {
        goes_nowhere = keeps_answer = false;
        length = 0;
        return;
    }
    if (with_sum) {
        const uint16_t check = check_of(said, length);
        said[length++] = '*';
        for (int8_t at = 12; at >= 0; at = (int8_t)(at - 4)) {
            const uint8_t digit = (uint8_t)(check >> at & 15);
            said[length++] = (char)(digit < 10 ? '0' + digit : 'A' - 10 + digit);
        }
    }
    said[length] = '\0';
    if (keeps_answer) {
        memcpy(kept, said, sizeof said);
    }
    board_put(said);
    length = 0;
    keeps_answer = false;
}

void answer_begin(bool good, const Asker *to) {
    length = 0;
    was_good = good;
    goes_nowhere = to->sum == OF_BUS;
    text_put(good ? SAID("ok") : SAID("no"));
    if (to->numbered) {
        text_letter(' ');
        text_whole(to->number);
    }
}

void answer_say(const Asker *to) {
    text_say(to->sum != NO_SUM);
}

void answer_keeps(bool keeps) {
    keeps_answer = keeps;
}

void answer_again(void) {
    board_put(kept);
}

bool answer_was_good(void) {
    return was_good;
}

void yes(void) {
    answer_begin(true, &heard.by);
    answer_say(&heard.by);
}

void no(const char *reason) {
    answer_begin(false, &heard.by);
    text_letter(' ');
    text_put(reason);
    answer_say(&heard.by);
}

bool word_is(const char *word, const char *text) {
    for (; *word != '\0' && *word == LETTER(text); word++, text++) {
    }
    return *word == '\0' && LETTER(text) == '\0';
}

bool word_number(const char *word, real *value) {
    uint32_t digits = 0, unit = 1;
    uint8_t count = 0;
    bool below = false, after = false;
    if (*word == '-') {
        below = true;
        word++;
    }
    for (; *word != '\0'; word++) {
        if (*word == '.' && !after && count > 0) {
            after = true;
        } else if (*word >= '0' && *word <= '9' && count < MOST_DIGITS) {
            digits = digits * 10 + (uint32_t)(*word - '0');
            unit *= after ? 10u : 1u;
            count++;
        } else {
            return false;
        }
    }
    *value = (real)digits / (real)unit;
    *value = below ? -*value : *value;
    return count > 0;
}

bool word_whole(const char *word, uint32_t most, uint32_t *value) {
    *value = 0;
    for (uint8_t k = 0; word[k] != '\0'; k++) {
        if (word[k] < '0' || word[k] > '9' || k >= MOST_DIGITS) {
            return false;
        }
        *value = *value * 10 + (uint32_t)(word[k] - '0');
    }
    return word[0] != '\0' && *value <= most;
}
