/* The kernel's model as a C programmer would write it, over the same tables: one player after the other.

   Compiled by loops.py with -O3 -march=native. Draws are hashes of (key, encounter, slot) as in
   ramulus/simulation/draws.py, so that both do the same work. */
#include <math.h>
#include <stdint.h>
#include <string.h>

#define GOLDEN 0x9E3779B97F4A7C15ULL

static inline uint64_t mix(uint64_t z) {
    z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9ULL;
    z = (z ^ (z >> 27)) * 0x94D049BB133111EBULL;
    return z ^ (z >> 31);
}
static inline double to_uniform(uint64_t bits) { return (bits >> 11) * 0x1.0p-53; }
static inline double uniform(uint64_t key, int64_t encounter, int slot) {
    return to_uniform(mix(key + (uint64_t)(encounter * 4 + slot) * GOLDEN));
}

/* A gamma time of mean 1 from the table of ramulus/simulation/times.py. */
static inline double time_at(const double *table, int64_t cells, uint64_t bits) {
    double middle = ((double)(bits >> 12) + 0.5) * 0x1.0p-52;
    int above = middle >= 0.5;
    double tail = above ? 1.0 - middle : middle;
    uint64_t place;
    memcpy(&place, &tail, 8);
    int64_t cell = (int64_t)((place >> 45) - (1023 - 53) * 128) + (above ? cells : 0);
    double t = (double)(place & ((1ULL << 45) - 1)) * 0x1.0p-45;
    const double *c = table + 4 * cell;
    return c[0] + t * (c[1] + t * (c[2] + t * c[3]));
}

typedef struct {
    int64_t levels, columns, sources, skill_levels, borders, cells, scale;
    const int64_t *first_column, *skilled, *reads_skill, *limit, *width, *first_amount, *state, *skill_units;
    const double *seconds, *success, *weight, *low, *amounts, *up_to, *factor, *border, *times;
    const int64_t *cost, *skill_cost;
    double extra_seconds, xp_share, between, horizon;
} World;

/* Carry-over is full, any number of level-ups, the cap fills: the demo's rules. */
static void play_one(const World *w, uint64_t key, double pace, double *arrival, int32_t *encounters, int64_t *income) {
    int64_t level = 0, xp = 0, skill = 0, skill_xp = 0, n = 0, window = 0, used[64] = {0};
    double clock = 0.0, running[64], total = 0.0;
    int stale = 1;
    arrival[0] = 0.0;
    encounters[0] = 0;
    while (level < w->levels - 1) {
        if (stale) {
            total = 0.0;
            for (int64_t s = 0; s < w->sources; s++) {
                if (w->limit[s] == 0 || used[s] < w->limit[s])
                    total += w->weight[level * w->columns + w->first_column[s] + (w->reads_skill[s] ? skill : 0)];
                running[s] = total;
            }
            if (total <= 0.0) return;
            stale = 0;
        }
        double target = uniform(key, n, 1) * total;
        int64_t s = 0;
        while (s < w->sources - 1 && running[s] <= target) s++;
        int64_t column = w->first_column[s] + (w->reads_skill[s] ? skill : 0), cell = level * w->columns + column;
        int won = w->success[cell] >= 1.0 || uniform(key, n, 2) < w->success[cell];
        double seconds = w->seconds[cell];
        if (w->cells) seconds *= time_at(w->times, w->cells, mix(key + (uint64_t)(n * 4) * GOLDEN));
        if (!won) seconds += w->extra_seconds;
        clock += (seconds + w->between) * pace;
        if (clock > w->horizon) return;
        while (window + 1 < w->borders && clock >= w->border[window + 1]) window++;
        int64_t active = w->state[window] * w->levels * w->columns + cell;
        double drawn = w->low[level * w->sources + s];
        if (w->width[s] > 1)
            drawn += floor(uniform(key, n, 3) * (double)w->width[s]);
        else if (w->width[s] == 0) {
            double u = uniform(key, n, 3);
            int64_t i = w->first_amount[s];
            while (i + 1 < w->first_amount[s + 1] && u >= w->up_to[i]) i++;
            drawn = w->amounts[i];
        }
        n++;
        double share = won ? 1.0 : w->xp_share;
        int64_t award = (int64_t)floor(drawn * w->factor[active] * share) * w->scale;
        income[level * w->sources + s] += award;
        xp += award;
        while (level < w->levels - 1 && xp >= w->cost[level]) {
            xp -= w->cost[level++];
            arrival[level] = clock;
            encounters[level] = (int32_t)n;
            stale = 1;
        }
        if (w->skilled[s]) {
            skill_xp += w->skill_units[(w->state[window] * 2 + won) * w->levels * w->columns + cell];
            while (skill < w->skill_levels - 1 && skill_xp >= w->skill_cost[skill]) {
                skill_xp -= w->skill_cost[skill++];
                stale = 1;
            }
        }
        if (won && w->limit[s] > 0 && ++used[s] >= w->limit[s]) stale = 1;
    }
}

void play(const World *w, int64_t players, const uint64_t *keys, const double *pace, double *arrival,
          int32_t *encounters, int64_t *income) {
    for (int64_t p = 0; p < players; p++)
        play_one(w, keys[p], pace[p], arrival + p * w->levels, encounters + p * w->levels, income);
}
