/* The machine's limit: a generic breadth-first search over packed situations, compiled.
   Reads "start rules", then for each rule "mask value clear set"; prints how many situations
   there are and the seconds that finding them took. One word a situation, open addressing. */
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <time.h>

typedef struct { uint64_t mask, value, clear, set; } rule;

static uint64_t *slots, *queue, size, count;

static uint64_t hash(uint64_t word) {
    word *= 0x9E3779B97F4A7C15u;
    return word ^ (word >> 29);
}

static int add(uint64_t word) {
    uint64_t at = hash(word) & (size - 1);
    while (slots[at] != UINT64_MAX) {
        if (slots[at] == word) return 0;
        at = (at + 1) & (size - 1);
    }
    slots[at] = word;
    queue[count++] = word;
    return 1;
}

static void grow(void) {
    uint64_t known = count;
    size *= 2;
    slots = realloc(slots, size * sizeof *slots);
    queue = realloc(queue, size / 2 * sizeof *queue);
    if (!slots || !queue) exit(1);
    for (uint64_t n = 0; n < size; n++) slots[n] = UINT64_MAX;
    count = 0;
    for (uint64_t n = 0; n < known; n++) add(queue[n]);
}

int main(void) {
    uint64_t start, rules, here = 0;
    if (scanf("%lu %lu", &start, &rules) != 2) return 1;
    rule *all = malloc(rules * sizeof *all);
    for (uint64_t n = 0; n < rules; n++)
        if (scanf("%lu %lu %lu %lu", &all[n].mask, &all[n].value, &all[n].clear, &all[n].set) != 4)
            return 1;
    clock_t began = clock();
    size = 1 << 15;
    grow();
    add(start);
    while (here < count) {
        uint64_t word = queue[here++];
        if (count + rules > size / 2) grow();
        for (uint64_t n = 0; n < rules; n++)
            if ((word & all[n].mask) == all[n].value) add((word & ~all[n].clear) | all[n].set);
    }
    printf("%lu %.4f\n", count, (double)(clock() - began) / CLOCKS_PER_SEC);
    return 0;
}
