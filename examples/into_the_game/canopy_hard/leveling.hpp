// Canopy Wardens, hard: levels, XP and awards as designed. C++17, no dependencies; award and lose allocate nothing.
//
//   canopy_hard::Leveling ledger;                       // the track warden
//   auto change = ledger.award(120);                // in units of XP; change.level_after - change.level_before levels
//   draw_bar(ledger.label(), ledger.progress());    // the bar: its text, and 0 to 1
//   auto data = ledger.save();                      // plain data; canopy_hard::Leveling::load(data) goes on from it
//
// Compile with -ffp-contract=off: a fused multiplication and addition rounds once where the design rounds twice.
// Written by Ramulus 0.1.0 from design 3dc11a2b0c55add0; it is yours to read and change. A retune changes the tables at the end only.

#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <cstdlib>
#include <optional>
#include <sstream>
#include <string>
#include <string_view>
#include <vector>

#ifdef __FAST_MATH__
#error "-ffast-math rounds in its own way: awards would differ from the design"
#endif

namespace canopy_hard {

constexpr std::int64_t MOST = (std::int64_t{1} << 53) - 1;  // The largest whole number that every language counts exactly.

enum class Track { warden };
enum class Source { aphid_cluster, bark_borer };

// What an award or a loss did; amounts are in units. What cannot be counted is refused, and nothing changes.
struct Change {
    bool refused = false;
    int level_before = 0;
    int level_after = 0;
    std::int64_t amount = 0;  // Of a loss: what was taken.
    std::int64_t wasted = 0;
    double points = 0.0;
};

// A state as plain data, in XP; the keys of every language.
struct Save {
    int format = 1;
    std::string track;
    std::string rules;
    std::int64_t level = 0;
    std::int64_t peak_level = 0;
    double xp = 0, points = 0, earned = 0, lost = 0, wasted = 0, baseline = 0;
};

// How a save of an older design is taken: by its level, or by all its XP; XP that would pay for the level is held or awarded.
enum class Keep { level, total_xp };
enum class Excess { hold, award };

namespace detail {

enum class AtCap { discard, fill, bank };

// One track: costs in units from the start level on, points granted up to each level, and stats by level.
struct TrackTable {
    const char* name;
    const char* rules;
    std::int64_t scale;
    int start_level;
    std::int64_t start_units;
    double start_points;
    std::int64_t carry;  // Billionths of what passes a threshold.
    bool one;  // An award raises one level at most.
    bool may_drop;  // A loss takes levels.
    AtCap at_cap;
    int steps;  // Levels below the cap.
    const std::int64_t* costs;
    const double* granted;

    int max_level() const { return start_level + steps; }
    std::int64_t cost(int level) const { return costs[level - start_level]; }
    // The units that pay for a level below the cap.
    std::int64_t threshold(int level) const { return cost(level); }
};

inline TrackTable& table_of(Track track);

// XP is `low` (by level, or one for all) and up to `width` whole numbers from it.
struct SourceTable {
    const char* name;
    double level;
    bool by_level;
    const double* low;
    std::int64_t width;
};

inline const SourceTable& source_of(Source source);

// The numbers of the design.
struct Numbers {
    double least_award;
    double xp_share;
};

inline const Numbers& numbers();

inline std::int64_t part_of(std::int64_t units, std::int64_t share) {  // In billionths, exact.
    constexpr std::int64_t whole = 1000000000;
    const std::int64_t part = share % whole;
    return units * (share / whole) + units / whole * part + units % whole * part / whole;
}

// What stays of the XP past a threshold, at the level just reached.
inline std::int64_t kept_of(const TrackTable& track, int, std::int64_t excess) {
    return part_of(excess, track.carry);
}

inline std::int64_t held_at_cap(const TrackTable& track, std::int64_t xp) {
    if (track.at_cap == AtCap::discard) return 0;
    return track.at_cap == AtCap::fill ? std::min(xp, track.costs[track.steps - 1]) : xp;
}

// XP in units, the nearest, halves up.
inline std::int64_t whole(double xp, std::int64_t scale) {
    const double units = xp * static_cast<double>(scale);
    const double low = std::floor(units);
    return static_cast<std::int64_t>(units - low >= 0.5 ? low + 1.0 : low);
}

inline std::string text_of(std::int64_t units, std::int64_t scale) {
    std::string digits = std::to_string(units / scale);
    for (int place = static_cast<int>(digits.size()) - 3; place > 0; place -= 3) digits.insert(static_cast<std::size_t>(place), ",");
    if (units % scale == 0) return digits;
    std::string part = std::to_string(scale + units % scale).substr(1);
    part.erase(part.find_last_not_of('0') + 1);
    return digits + "." + part;
}

inline double clip(double x, double low, double high) { return std::min(std::max(x, low), high); }

}  // namespace detail

// The level, XP and points of one character on one track; XP is in units.
class Leveling {
public:
    Track track;
    int level;
    int peak_level;
    std::int64_t xp;
    double points;
    std::int64_t earned = 0;
    std::int64_t lost = 0;
    std::int64_t wasted = 0;
    std::int64_t baseline;

    explicit Leveling(Track on = Track::warden)
        : track(on), level(table().start_level), peak_level(level), xp(table().start_units), points(table().start_points), baseline(xp) {}

    // Book an award, already multiplied and rounded.
    Change award(std::int64_t units) {
        if (units < 0 || units > MOST - baseline - earned) return refusal();
        Change change{false, level, level, units, 0, 0.0};
        earned += units;
        book(units, change);
        return change;
    }

    // Take XP away; what is not there is forgiven, and points stay.
    Change lose(std::int64_t units) {
        if (units < 0 || units > MOST) return refusal();
        Change change{false, level, level, std::min(units, xp), 0, 0.0};
        xp -= change.amount;
        std::int64_t left = units - change.amount;
        while (left > 0 && table().may_drop && level > table().start_level) {
            --level;
            const std::int64_t part = std::min(left, table().cost(level));
            xp = table().cost(level) - part;
            left -= part;
            change.amount += part;
        }
        lost += change.amount;
        change.level_after = level;
        return change;
    }

    // The bar, 0 to 1.
    double progress() const {
        const bool full = level == table().max_level();
        if (full && table().at_cap == detail::AtCap::discard) return 1.0;
        const std::int64_t cost = full ? table().costs[table().steps - 1] : table().cost(level);
        return std::min(static_cast<double>(xp) / static_cast<double>(cost), 1.0);
    }

    // The bar's text.
    std::string label() const {
        const std::int64_t scale = table().scale;
        const std::string text = "Level " + std::to_string(level) + " \u00b7 ", held = detail::text_of(xp, scale);
        if (level < table().max_level()) {
            const std::int64_t cost = table().cost(level);
            const std::string waits = xp > cost ? " (" + detail::text_of(xp - cost, scale) + " waiting)" : "";
            return text + held + " / " + detail::text_of(cost, scale) + waits;
        }
        if (table().at_cap == detail::AtCap::discard) return text + "cap";
        if (table().at_cap == detail::AtCap::bank) return text + "cap \u00b7 " + held + " banked";
        return text + "cap \u00b7 " + held + " / " + detail::text_of(table().costs[table().steps - 1], scale);
    }

    // The state as plain data.
    Save save() const {
        const auto in_xp = [this](std::int64_t units) { return static_cast<double>(units) / static_cast<double>(table().scale); };
        Save data;
        data.track = table().name;
        data.rules = table().rules;
        data.level = level;
        data.peak_level = peak_level;
        data.xp = in_xp(xp);
        data.points = points;
        data.earned = in_xp(earned);
        data.lost = in_xp(lost);
        data.wasted = in_xp(wasted);
        data.baseline = in_xp(baseline);
        return data;
    }

    // Go on from `save`, also of an older design; nothing, and why, where no design can hold it. The level never falls
    // unless `fall`.
    static std::optional<Leveling> load(
        const Save& data, Keep keep = Keep::level, Excess excess = Excess::hold, bool fall = false, std::string* why = nullptr
    ) {
        const auto refuse = [why](const std::string& reason) {
            if (why) *why = reason;
            return std::nullopt;
        };
        int place = 0;
        while (place < 1 && data.track != detail::table_of(static_cast<Track>(place)).name) ++place;
        if (place == 1) return refuse("no track is called " + data.track);
        Leveling found(static_cast<Track>(place));
        const auto& own = found.table();
        for (const double amount : {data.xp, data.earned, data.lost, data.wasted, data.baseline}) {
            if (!(amount >= 0 && amount <= static_cast<double>(MOST) / static_cast<double>(own.scale))) return refuse("a damaged save: an amount of XP");
        }
        if (data.level < 0 || data.peak_level < data.level || data.peak_level > MOST) return refuse("a damaged save: its level");
        if (!(data.points >= 0 && data.points <= static_cast<double>(MOST))) return refuse("a damaged save: its points");
        found.earned = detail::whole(data.earned, own.scale);
        found.lost = detail::whole(data.lost, own.scale);
        found.wasted = detail::whole(data.wasted, own.scale);
        const std::int64_t start = detail::whole(data.baseline, own.scale);
        if (start + found.earned > MOST) return refuse("a damaged save: too much XP in all");
        const auto in_track = [&own](std::int64_t held) { return static_cast<int>(std::clamp<std::int64_t>(held, own.start_level, own.max_level())); };
        found.level = in_track(data.level);
        found.peak_level = std::max(in_track(data.peak_level), found.level);
        found.points = data.points;
        const std::int64_t total = start + found.earned - found.lost - found.wasted;
        found.place(detail::whole(data.xp, own.scale), total, keep == Keep::total_xp, excess == Excess::award, fall);
        return found;
    }

private:
    const detail::TrackTable& table() const { return detail::table_of(track); }

    Change refusal() const { return Change{true, level, level, 0, 0, 0.0}; }

    // Add XP and go up as far as it carries.
    void book(std::int64_t units, Change& change) {
        const auto& own = table();
        xp += units;
        while (level < own.max_level() && xp >= own.threshold(level)) {
            const std::int64_t excess = xp - own.cost(level);
            ++level;
            xp = detail::kept_of(own, level, excess);
            change.wasted += excess - xp;
            if (own.one) break;
        }
        if (level == own.max_level()) {
            const std::int64_t held = detail::held_at_cap(own, xp);
            change.wasted += xp - held;
            xp = held;
        }
        wasted += change.wasted;
        change.level_after = level;
        change.points = grant();
    }

    // Grant the points of levels that are reached for the first time.
    double grant() {
        if (level <= peak_level) return 0.0;
        const auto& own = table();
        const double granted = own.granted[level - own.start_level] - own.granted[peak_level - own.start_level];
        peak_level = level;
        points += granted;
        return granted;
    }

    void place(std::int64_t in_level, std::int64_t total, bool by_total, bool award_it, bool fall) {
        const auto& own = table();
        const int kept = level;
        xp = in_level;
        if (by_total) {
            level = own.start_level;
            xp = std::max<std::int64_t>(total, 0);
            for (; level < own.max_level() && xp >= own.threshold(level); ++level) xp -= own.cost(level);
            if (level < kept && !fall) {
                level = kept;
                xp = 0;
            }
        }
        if (level == own.max_level()) {
            xp = detail::held_at_cap(own, xp);
        } else if (xp >= own.threshold(level) && !own.one && !award_it) {
            xp = own.threshold(level) - 1;
        }
        grant();
        Change change;
        if (award_it) book(0, change);
        // Everything earned stays accounted for: what this design does not count is wasted.
        std::int64_t paid = 0;
        for (int held = own.start_level; held < level; ++held) paid += own.cost(held);
        baseline = paid + xp + wasted + lost - earned;
        if (baseline < 0) {
            wasted -= baseline;
            baseline = 0;
        }
    }
};

// The XP that a success at a source gives before multipliers; `u` is your own uniform number, from 0 to below 1.
inline double draw(Source source, int, double u) {
    const auto& given = detail::source_of(source);
    const double low = given.low[0];
    return given.width > 1 ? low + std::floor(u * static_cast<double>(given.width)) : low;
}

// The units that an encounter awards to warden: the XP drawn times the multipliers in their order, rounded.
inline std::int64_t award_for([[maybe_unused]] Source source, [[maybe_unused]] int player_level, double drawn, bool success) {
    const double level = player_level;
    const double gap = level - detail::source_of(source).level;
    double product = 1.0;
    product *= detail::clip(1.0 - 0.08 * gap, 0.04, 1.0);  // outgrown
    const double xp = drawn * product;
    const double exact = success ? std::max(std::floor(xp), detail::numbers().least_award)
                                 : std::floor(xp * detail::numbers().xp_share);
    return detail::whole(exact, detail::table_of(Track::warden).scale);
}

// Replace the costs, points and stats of a track by those of a levels_warden.csv; false, and nothing changes, for anything else.
inline bool load_tables(Track name, std::string_view text) {
    static std::array<std::vector<std::int64_t>, 1> costs_of;
    static std::array<std::vector<std::vector<double>>, 1> numbers_of;
    detail::TrackTable& track = detail::table_of(name);
    if (text.substr(0, 3) == "\xEF\xBB\xBF") text.remove_prefix(3);
    std::vector<std::string> columns{"level", "cost", "total", "points"};
    std::vector<int> stats;
    std::vector<std::vector<std::string>> rows;
    std::istringstream lines{std::string(text)};
    for (std::string line; std::getline(lines, line);) {
        line.erase(line.find_last_not_of(" \r") + 1);
        if (line.empty()) continue;
        rows.emplace_back();
        std::istringstream cells{line + ","};
        for (std::string cell; std::getline(cells, cell, ',');) rows.back().push_back(cell);
    }
    if (rows.size() < 3 || rows[0] != columns) return false;
    const auto number = [](const std::string& cell) {
        char* end = nullptr;
        const double value = std::strtod(cell.c_str(), &end);
        return cell.empty() || *end != '\0' ? std::nan("") : value;
    };
    std::vector<std::int64_t> costs;
    std::vector<std::vector<double>> numbers(columns.size() - 3);
    std::int64_t total = 0;
    for (std::size_t row = 1; row < rows.size(); ++row) {
        const auto& cells = rows[row];
        if (cells.size() != columns.size() || number(cells[0]) != static_cast<double>(track.start_level) + static_cast<double>(row - 1)) return false;
        for (std::size_t column = 3; column < cells.size(); ++column) {
            numbers[column - 3].push_back(number(cells[column]));
            if (!std::isfinite(numbers[column - 3].back())) return false;
        }
        if (row + 1 == rows.size()) break;  // The cap costs nothing.
        const double cost = number(cells[1]);
        if (!(cost >= 1 && cost == std::floor(cost) && cost <= static_cast<double>(MOST - total))) return false;
        costs.push_back(static_cast<std::int64_t>(cost));
        total += costs.back();
    }
    const auto place = static_cast<std::size_t>(name);
    costs_of[place] = std::move(costs);
    numbers_of[place] = std::move(numbers);
    track.steps = static_cast<int>(costs_of[place].size());
    track.costs = costs_of[place].data();
    track.granted = numbers_of[place][0].data();
    return true;
}

// --- tables -----------------------------------------------------------------------------------------------------

constexpr const char* DESIGN = "3dc11a2b0c55add0";

namespace detail {

constexpr std::int64_t costs_warden[] = {43, 49, 59, 71, 86, 103, 121, 142, 165, 190, 216, 244, 274, 306, 339, 374, 410, 448, 487};
constexpr double granted_warden[] = {0.0, 2.0, 4.0, 6.0, 8.0, 10.0, 12.0, 14.0, 16.0, 18.0, 20.0, 22.0, 24.0, 26.0, 28.0, 30.0, 32.0, 34.0, 36.0, 38.0};

inline TrackTable& table_of(Track track) {
    static TrackTable tables[] = {
        {"warden", "84b6bb54b2c868b3", 1, 1, 0, 0.0, 500000000, true, true, AtCap::discard,
         19, costs_warden, granted_warden},
    };
    return tables[static_cast<int>(track)];
}

constexpr double low_aphid_cluster[] = {9.0};
constexpr double low_bark_borer[] = {34.0};

inline const SourceTable& source_of(Source source) {
    static constexpr SourceTable tables[] = {
        {"aphid_cluster", 1.0, false, low_aphid_cluster, 5},
        {"bark_borer", 7.0, false, low_bark_borer, 1},
    };
    return tables[static_cast<int>(source)];
}


inline const Numbers& numbers() {
    static constexpr Numbers values{
        0.0, 0.1,
    };
    return values;
}

}  // namespace detail
}  // namespace canopy_hard
