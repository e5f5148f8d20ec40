// Awards, the bar, a save, and a save of an older design: g++ -std=c++17 -ffp-contract=off play.cpp -o play && ./play
#include <cstdio>

#include "leveling.hpp"

using namespace canopy;

static void show(const Leveling& warden) {
    const int full = static_cast<int>(std::lround(20 * warden.progress()));
    std::printf("[%s%s] %s\n", std::string(full, '#').c_str(), std::string(20 - full, '.').c_str(), warden.label().c_str());
}

int main() {
    Leveling warden;
    show(warden);
    Told at;
    at.on_blossom_week = true;
    for (const std::int64_t units : {std::int64_t{40}, std::int64_t{400}, award_for(Source::bark_borer, 7, 34, true, at)}) {
        const Change change = warden.award(units);
        std::printf("+%d XP, %d levels, %g points\n", static_cast<int>(units), change.level_after - change.level_before, change.points);
        show(warden);
    }
    warden.buy(Upgrade::keen_edge);
    std::printf("shear %.2f\n", warden.stat(Stat::shear));
    Save saved = warden.save();  // Plain data: write it as you write your saves.
    show(*Leveling::load(saved));

    // When levels cost more: the level stays, and XP that would pay for it now is held below its cost.
    saved.rules = "older";
    saved.level = saved.peak_level = 9;
    saved.xp = 700;
    show(*Leveling::load(saved));
}
