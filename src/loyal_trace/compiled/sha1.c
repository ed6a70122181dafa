/* SHA-1 (FIPS 180-4) of many slightly changed copies of one image, 32 of them side by side.
 *
 * The copies share the message of every block that no change touches, so its schedule (with the round constants added)
 * is worked out once for all by the caller; blocks with a change are done for their copy alone. Plain C with the
 * vector types of GCC and Clang, compiled for several processors where the compiler can.
 */
#include <stddef.h>
#include <stdint.h>

typedef uint32_t vec __attribute__((vector_size(64)));
enum { WIDTH = 16, GROUPS = 2, LANES = WIDTH * GROUPS };

#define ROL(x, n) (((x) << (n)) | ((x) >> (32 - (n))))

static void one_block(uint32_t state[5], const uint32_t message[16])
{
    uint32_t w[80], a = state[0], b = state[1], c = state[2], d = state[3], e = state[4];
    for (int t = 0; t < 16; t++) w[t] = message[t];
    for (int t = 16; t < 80; t++) w[t] = ROL(w[t - 3] ^ w[t - 8] ^ w[t - 14] ^ w[t - 16], 1);
    for (int t = 0; t < 80; t++) {
        uint32_t f = t < 20 ? (d ^ (b & (c ^ d))) + 0x5A827999u
                   : t < 40 ? (b ^ c ^ d) + 0x6ED9EBA1u
                   : t < 60 ? ((b & c) | (d & (b | c))) + 0x8F1BBCDCu
                            : (b ^ c ^ d) + 0xCA62C1D6u;
        uint32_t x = ROL(a, 5) + f + e + w[t];
        e = d; d = c; c = ROL(b, 30); b = a; a = x;
    }
    state[0] += a; state[1] += b; state[2] += c; state[3] += d; state[4] += e;
}

/* The state before every block of an image, and after the last: blocks + 1 rows of five words. */
void prefix_states(const uint32_t *words, size_t blocks, uint32_t *states)
{
    uint32_t state[5] = {0x67452301u, 0xEFCDAB89u, 0x98BADCFEu, 0x10325476u, 0xC3D2E1F0u};
    for (size_t block = 0; ; block++) {
        for (int i = 0; i < 5; i++) states[5 * block + i] = state[i];
        if (block == blocks) return;
        one_block(state, words + 16 * block);
    }
}

#define ROUND(F, a, b, c, d, e, t) \
    for (int g = 0; g < GROUPS; g++) { e[g] += ROL(a[g], 5) + F(b[g], c[g], d[g]) + s[t]; b[g] = ROL(b[g], 30); }
#define FIVE(F, t) \
    ROUND(F, a, b, c, d, e, t) ROUND(F, e, a, b, c, d, t + 1) ROUND(F, d, e, a, b, c, t + 2) \
    ROUND(F, c, d, e, a, b, t + 3) ROUND(F, b, c, d, e, a, t + 4)
#define CHOOSE(b, c, d) (d ^ (b & (c ^ d)))
#define PARITY(b, c, d) (b ^ c ^ d)
#define MAJORITY(b, c, d) ((b & c) | (d & (b | c)))

#ifdef CLONES
__attribute__((target_clones("avx512f", "avx2", "default")))
#endif
static void rounds(vec h[5][GROUPS], const uint32_t *s, vec out[5][GROUPS])
{
    vec a[GROUPS], b[GROUPS], c[GROUPS], d[GROUPS], e[GROUPS];
    for (int g = 0; g < GROUPS; g++) { a[g] = h[0][g]; b[g] = h[1][g]; c[g] = h[2][g]; d[g] = h[3][g]; e[g] = h[4][g]; }
    for (int t = 0; t < 20; t += 5) { FIVE(CHOOSE, t) }
    for (int t = 20; t < 40; t += 5) { FIVE(PARITY, t) }
    for (int t = 40; t < 60; t += 5) { FIVE(MAJORITY, t) }
    for (int t = 60; t < 80; t += 5) { FIVE(PARITY, t) }
    for (int g = 0; g < GROUPS; g++) {
        out[0][g] = h[0][g] + a[g]; out[1][g] = h[1][g] + b[g]; out[2][g] = h[2][g] + c[g];
        out[3][g] = h[3][g] + d[g]; out[4][g] = h[4][g] + e[g];
    }
}

/* The first row of changes after which the digest is the target, -1 for none. Places rise along each row. */
long first_match(const uint32_t *words, const uint32_t *schedule, const uint32_t *states, size_t blocks,
                 const int64_t *places, const uint8_t *flips, size_t rows, size_t columns, const uint32_t target[5])
{
    for (size_t group = 0; group < rows; group += LANES) {
        size_t lanes = rows - group < LANES ? rows - group : LANES, first = blocks;
        for (size_t lane = 0; lane < lanes; lane++) {
            size_t block = (size_t)places[(group + lane) * columns] >> 6;
            if (block < first) first = block;
        }
        vec h[5][GROUPS], next[5][GROUPS];
        uint32_t (*flat)[LANES] = (uint32_t (*)[LANES])h, (*flat_next)[LANES] = (uint32_t (*)[LANES])next;
        size_t at[LANES];  /* the first change of each lane that is still to come */
        for (size_t lane = 0; lane < LANES; lane++) {
            at[lane] = lane < lanes ? 0 : columns;
            for (int i = 0; i < 5; i++) flat[i][lane] = states[5 * first + i];
        }
        for (size_t block = first; block < blocks; block++) {
            rounds(h, schedule + 80 * block, next);
            for (size_t lane = 0; lane < lanes; lane++) {
                const int64_t *row = places + (group + lane) * columns;
                const uint8_t *marks = flips + (group + lane) * columns;
                if (at[lane] >= columns || (size_t)(row[at[lane]] >> 6) != block) continue;
                uint32_t w[16], state[5];
                for (int t = 0; t < 16; t++) w[t] = words[16 * block + t];
                for (; at[lane] < columns && (size_t)(row[at[lane]] >> 6) == block; at[lane]++) {
                    int64_t place = row[at[lane]];
                    w[place >> 2 & 15] ^= (uint32_t)marks[at[lane]] << (24 - 8 * (place & 3));
                }
                for (int i = 0; i < 5; i++) state[i] = flat[i][lane];
                one_block(state, w);
                for (int i = 0; i < 5; i++) flat_next[i][lane] = state[i];
            }
            for (int i = 0; i < 5; i++)
                for (int g = 0; g < GROUPS; g++) h[i][g] = next[i][g];
        }
        for (size_t lane = 0; lane < lanes; lane++) {
            int right = 1;
            for (int i = 0; i < 5; i++) right &= flat[i][lane] == target[i];
            if (right) return (long)(group + lane);
        }
    }
    return -1;
}
