/* Words and numbers of the line protocol: what is said letter by letter, and what a word that was heard means. */
#ifndef TEXT_H
#define TEXT_H

#include <stdbool.h>

#include "numbers.h"

#if defined(__AVR__)
#include <avr/pgmspace.h>
#define SAID(text) PSTR(text)
#else
#define SAID(text) (text)
#endif

#define LONGEST 80
#define MOST_WORDS 8

/* OF_BUS: it came in a frame that was checked; its answer is not told as a line. */
typedef enum { NO_SUM, RIGHT_SUM, WRONG_SUM, OF_BUS } Sum;

/* Whom an answer is for: whoever gave a number and a check sum is answered with both. */
typedef struct {
    bool numbered;
    uint16_t number;
    Sum sum;
} Asker;

/* The line that was heard, in words. */
typedef struct {
    char *words[MOST_WORDS];
    uint8_t count;
    Asker by;
} Heard;

extern Heard heard;

/* CRC-16 with the polynomial 0x1021, from 0xFFFF. */
uint16_t check_of(const void *bytes, uint16_t count);

/* Begin a line, and say it letter by letter; texts are of SAID. */
void text_begin(void);

/* Two letters of the line that was begun, the first one high, 0 beyond its end; and all of it, with how many there are. */
uint16_t text_letters(uint8_t at);
uint8_t text_take(char *line);
void text_letter(char letter);
void text_put(const char *text);
void text_whole(uint32_t value);
void text_number(real value, uint8_t decimals);
void text_space_number(real value, uint8_t decimals);

/* Say the line, with a check sum where one is wanted. */
void text_say(bool with_sum);

/* Begin an answer, and end it; the answer to an order is kept, to be said again where the order comes again. */
void answer_begin(bool good, const Asker *to);
void answer_say(const Asker *to);
void answer_keeps(bool keeps);
void answer_again(void);

/* Whether the last answer was yes. */
bool answer_was_good(void);

/* Say yes, or no with the reason, to what was heard. */
void yes(void);
void no(const char *reason);

/* Whether a word is a text of SAID; what number it is: no comma, no exponent. */
bool word_is(const char *word, const char *text);
bool word_number(const char *word, real *value);
bool word_whole(const char *word, uint32_t most, uint32_t *value);

#endif
