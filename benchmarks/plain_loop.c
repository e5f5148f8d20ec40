/* A plain design as a C programmer would write it from scratch: five sources, fixed XP, exact times, failures that pay
   nothing; a generator of its own (xoshiro256+, Blackman and Vigna), branches where one writes branches. */
#include <stdint.h>

typedef struct {
    int64_t levels, sources;
    const double *running, *success, *seconds;
    const int64_t *xp, *cost;
    double extra_seconds, between;
} Plain;

static uint64_t s[4];
static inline uint64_t rotl(uint64_t x, int k) { return (x << k) | (x >> (64 - k)); }
static inline double uniform(void) {
    uint64_t result = s[0] + s[3], t = s[1] << 17;
    s[2] ^= s[0]; s[3] ^= s[1]; s[1] ^= s[2]; s[0] ^= s[3]; s[2] ^= t; s[3] = rotl(s[3], 45);
    return (double)(result >> 11) * 0x1.0p-53;
}

void play(const Plain *p, int64_t players, uint64_t seed, double *hours, int64_t *met, int64_t *won, int64_t *count) {
    for (int i = 0; i < 4; i++) s[i] = seed + (uint64_t)(i + 1) * 0x9E3779B97F4A7C15ULL;
    for (int i = 0; i < 20; i++) uniform();
    for (int64_t player = 0; player < players; player++) {
        int64_t level = 0, xp = 0;
        double clock = 0.0, total = p->running[p->sources - 1];
        while (level < p->levels) {
            double target = uniform() * total;
            int64_t i = 0;
            while (i < p->sources - 1 && p->running[i] <= target) i++;
            met[level * p->sources + i]++;
            ++*count;
            if (uniform() < p->success[i]) {
                clock += p->seconds[i] + p->between;
                won[level * p->sources + i]++;
                xp += p->xp[i];
                while (level < p->levels && xp >= p->cost[level]) xp -= p->cost[level++];
            } else
                clock += p->seconds[i] + p->extra_seconds + p->between;
        }
        hours[player] = clock / 3600;
    }
}
