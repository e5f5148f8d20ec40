// Answers runs of awards with leveling.hpp: g++ -std=c++17 -O2 -ffp-contract=off harness.cpp -o harness, then
// `ramulus conform FILE -- ./harness`. Put your own game's calls in their place.
#include <cstdio>
#include <iostream>

#include "leveling.hpp"

using namespace canopy;

static std::string text(const std::string& in, const std::string& key) {  // What stands behind a key.
    const auto at = in.find("\"" + key + "\":");
    if (at == std::string::npos) return "";
    const auto from = in.find_first_not_of('"', at + key.size() + 3);
    return in.substr(from, in.find_first_of("\",}", from) - from);
}
static double number(const std::string& in, const std::string& key, double otherwise) {
    return text(in, key).empty() ? otherwise : std::strtod(text(in, key).c_str(), nullptr);
}
static void print(const Leveling& ledger, std::int64_t award = -1) {
    std::printf("{\"level\":%d,\"xp\":%lld,\"points\":%.17g,\"wasted\":%lld", ledger.level, static_cast<long long>(ledger.xp), ledger.points, static_cast<long long>(ledger.wasted));
    if (award >= 0) std::printf(",\"award\":%lld", static_cast<long long>(award));
    std::printf("}");
}
static std::int64_t encounter(const std::string& step, Track track, int level) {
    int source = 0;
    while (text(step, "encounter") != detail::source_of(static_cast<Source>(source)).name) ++source;
    Told at;
    at.leader_level = number(step, "leader_level", at.leader_level);
    at.on_blossom_week = step.find("\"blossom week\"") != std::string::npos;
    at.on_market_day = step.find("\"market day\"") != std::string::npos;
    const bool won = number(step, "success", 0) == 1;
    if (track != Track::warden) return skill_award_for(static_cast<Source>(source), static_cast<int>(number(step, "level", level)), won, at);
    return award_for(static_cast<Source>(source), level, number(step, "xp", 0), won, at);
}

int main() {
    for (std::string line; std::getline(std::cin, line);) {
        int track = 0;
        while (text(line, "track") != detail::table_of(static_cast<Track>(track)).name) ++track;
        Leveling ledger(static_cast<Track>(track));
        std::printf("{\"id\":%s,\"design\":\"%s\",\"states\":[", text(line, "id").c_str(), DESIGN);
        print(ledger);
        for (auto at = line.find('{', 1); at != std::string::npos; at = line.find('{', at + 1)) {
            const std::string step = line.substr(at, line.find('}', at) - at + 1);
            std::int64_t award = -1;
            if (step.find("{\"award\"") == 0) ledger.award(static_cast<std::int64_t>(number(step, "award", 0)));
            else if (step.find("{\"lose\"") == 0) ledger.lose(static_cast<std::int64_t>(number(step, "lose", 0)));
            else if (step.find("{\"reload\"") == 0) ledger = *Leveling::load(ledger.save());
            else ledger.award(award = encounter(step, ledger.track, ledger.level));
            std::printf(",");
            print(ledger, award);
        }
        std::printf("]}\n");
        std::fflush(stdout);
    }
}
