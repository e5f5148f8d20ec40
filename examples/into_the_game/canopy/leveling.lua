-- Canopy Wardens: levels, XP and awards as designed.
--
--   local leveling = require("leveling")
--   local ledger = leveling.new()           -- the track warden; leveling.new("grafting") for another
--   local change = ledger:award(120)        -- in units of XP; change.level_after - change.level_before levels gained
--   print(ledger:label(), ledger:progress()) -- the bar: its text, and 0 to 1
--   local data = ledger:save()              -- plain data; leveling.load(data) goes on from it
--
-- Written by Ramulus 0.1.0 from design 1efc73540feba32a; it is yours to read and change. A retune changes the tables at the end only.

local leveling = {}
local Ledger = {}
Ledger.__index = Ledger

local MOST = 2 ^ 53 - 1 | 0 -- The largest whole number that every language counts exactly.
local LEAST_AWARD, XP_SHARE, SOURCES, FACTORS, BANDS, PRACTISED, SKILL_XP, UPGRADES, STATS, TRACKS

-- --- how numbers are counted and rounded ----------------------------------------------------------------------

local function refuse(...)
  error(string.format(...), 3)
end

local function table_of(track)
  return TRACKS[track] or refuse("no track is called %s", tostring(track))
end

local function max_level(track)
  return track.start_level + #track.costs
end

local function cost_of(track, level)
  return track.costs[level - track.start_level + 1]
end

-- The units that pay for a level below the cap.
local function threshold(track, level)
  return cost_of(track, level)

end

local function held_at_cap(track, xp)
  if track.at_cap == "discard" then return 0 end
  return track.at_cap == "fill" and math.min(xp, track.costs[#track.costs]) or xp
end

local function count_of(value) -- The whole number from 0 to MOST that a value is, or nil.
  local whole = type(value) == "number" and math.tointeger(value)
  return whole and whole >= 0 and whole <= MOST and whole or nil
end

-- XP in units, the nearest, halves up.
local function whole(xp, scale)
  local units = xp * scale
  local low = math.floor(units)
  return units - low >= 0.5 and low + 1 or low
end

local function units_of(data, name, scale)
  local xp = data[name]
  if type(xp) ~= "number" or not (xp >= 0 and xp <= MOST / scale) then refuse("a damaged save: %s %s", name, tostring(xp)) end
  return whole(xp, scale)
end

local function xp_of(units, scale)
  return units % scale == 0 and units // scale or units / scale
end

local function text_of(units, scale)
  local digits = string.format("%d", units // scale):reverse():gsub("(%d%d%d)", "%1,"):reverse():gsub("^,", "")
  if units % scale == 0 then return digits end
  return digits .. "." .. string.format("%0" .. #tostring(scale) - 1 .. "d", units % scale):gsub("0+$", "")
end

local function clip(x, low, high)
  return math.min(math.max(x, low), high)
end

-- The factor of the first band whose end is not below the value; past the last: 1.
local function banded(value, bands)
  for _, band in ipairs(bands) do
    if value <= band[1] then return band[2] end
  end
  return 1.0
end

-- --- a character on one track ---------------------------------------------------------------------------------

function leveling.new(track)
  track = track or "warden"
  local start = table_of(track)
  return setmetatable({
    track = track, level = start.start_level, peak_level = start.start_level, xp = start.start_units, points = start.start_points,
    baseline = start.start_units, earned = 0, lost = 0, wasted = 0, ranks = {},

  }, Ledger)
end

-- Add XP and go up as far as it carries; return what is wasted and the points granted.
local function book(self, units)
  local track, wasted = TRACKS[self.track], 0
  self.xp = self.xp + units
  while self.level < max_level(track) and self.xp >= threshold(track, self.level) do
    local excess = self.xp - cost_of(track, self.level)
    self.level = self.level + 1
    self.xp = excess
  end
  if self.level == max_level(track) then
    local held = held_at_cap(track, self.xp)
    wasted = wasted + self.xp - held
    self.xp = held
  end
  self.wasted = self.wasted + wasted
  return wasted, self:grant()
end

-- Book an award, already multiplied and rounded. One that cannot be counted is an error, and nothing changes.
function Ledger:award(amount)
  local units = count_of(amount)
  if not units or self.baseline + self.earned + units > MOST then
    refuse("an award of %s; allowed: whole units from 0 to %d in all", tostring(amount), MOST)
  end
  local before = self.level
  self.earned = self.earned + units
  local wasted, points = book(self, units)
  return { level_before = before, level_after = self.level, amount = units, wasted = wasted, points = points }
end

-- Grant the points of levels that are reached for the first time.
function Ledger:grant()
  if self.level <= self.peak_level then return 0 end
  local granted, first = TRACKS[self.track].granted, 1 - TRACKS[self.track].start_level
  local points = granted[self.level + first] - granted[self.peak_level + first]
  self.peak_level = self.level
  self.points = self.points + points
  return points
end

-- Take XP away; what is not there is forgiven, and points stay. What is no amount is an error.
function Ledger:lose(amount)
  local units = count_of(amount) or refuse("a loss of %s; allowed: whole units from 0 to %d", tostring(amount), MOST)
  local before, taken = self.level, math.min(units, self.xp)
  self.xp = self.xp - taken
  self.lost = self.lost + taken
  return { level_before = before, level_after = self.level, amount = taken, wasted = 0, points = 0 }
end

-- The bar, 0 to 1.
function Ledger:progress()
  local track = TRACKS[self.track]
  if self.level < max_level(track) then return math.min(self.xp / cost_of(track, self.level), 1.0) end
  return track.at_cap == "discard" and 1.0 or math.min(self.xp / track.costs[#track.costs], 1.0)
end

-- The bar's text.
function Ledger:label()
  local track = TRACKS[self.track]
  local xp = text_of(self.xp, track.scale)
  if self.level < max_level(track) then
    local cost = cost_of(track, self.level)
    local waits = self.xp > cost and string.format(" (%s waiting)", text_of(self.xp - cost, track.scale)) or ""
    return string.format("Level %d · %s / %s%s", self.level, xp, text_of(cost, track.scale), waits)
  end
  local full = text_of(track.costs[#track.costs], track.scale)
  local ends = { discard = "", fill = string.format(" · %s / %s", xp, full), bank = string.format(" · %s banked", xp) }
  return string.format("Level %d · cap%s", self.level, ends[track.at_cap])
end

-- Buy a rank with points; false where there are too few, or no rank is left.
function Ledger:buy(upgrade)
  local wanted, rank = UPGRADES[upgrade], self.ranks[upgrade] or 0
  if rank + 1 >= #wanted.effects or self.points < wanted.price then return false end
  self.points = self.points - wanted.price
  self.ranks[upgrade] = rank + 1
  return true
end

-- A stat of this track, at this level with the ranks bought.
function Ledger:stat(name)
  return leveling.stat(name, self.level, self.ranks)
end

local function passes(self, units, leader)
  local after = {}
  for key, value in pairs(self) do after[key] = value end
  book(setmetatable(after, Ledger), units)
  return after.level > leader.level or (after.level == leader.level and after.xp > leader.xp)
end

-- The part of an award that does not lift this one past its leader; `plain` is what it would be alone.
function Ledger:held_below(leader, award, plain)
  if award <= plain or not passes(self, award, leader) then return award end
  if passes(self, plain, leader) then return plain end
  local scale = TRACKS[self.track].scale
  local step = award % scale == 0 and plain % scale == 0 and scale or 1
  local low, high = plain // step, award // step
  while high - low > 1 do
    local middle = (low + high) // 2
    if passes(self, middle * step, leader) then high = middle else low = middle end
  end
  return low * step
end

-- The state as plain data, in XP.
function Ledger:save()
  local track = TRACKS[self.track]
  local data = { format = 1, track = self.track, rules = track.rules, level = self.level, peak_level = self.peak_level, points = self.points }
  for _, name in ipairs({ "xp", "earned", "lost", "wasted", "baseline" }) do data[name] = xp_of(self[name], track.scale) end
  data.ranks = {}
  for name, rank in pairs(self.ranks) do data.ranks[name] = rank end
  return data
end

local function place(self, xp, total, by_total, award, fall)
  local track, kept = TRACKS[self.track], self.level
  if by_total then
    self.level, xp = track.start_level, math.max(total, 0)
    while self.level < max_level(track) and xp >= threshold(track, self.level) do
      xp = xp - cost_of(track, self.level)
      self.level = self.level + 1
    end
    if self.level < kept and not fall then self.level, xp = kept, 0 end
  end
  if self.level == max_level(track) then
    xp = held_at_cap(track, xp)
  elseif xp >= threshold(track, self.level) and not award then
    xp = threshold(track, self.level) - 1
  end
  self.xp = xp
  self:grant()
  if award then book(self, 0) end
  -- Everything earned stays accounted for: what this design does not count is wasted.
  local paid = 0
  for level = track.start_level, self.level - 1 do paid = paid + cost_of(track, level) end
  self.baseline = paid + self.xp + self.wasted + self.lost - self.earned
  if self.baseline < 0 then self.wasted, self.baseline = self.wasted - self.baseline, 0 end
end

-- Go on from `save`, also of an older design. What no design can hold is an error, with the reason.
-- how.keep: "level" keeps level and XP, "total_xp" reads the level off all XP; it never falls unless how.fall.
-- how.excess: XP that would pay for the level now is held below its cost ("hold") or awarded ("award").
function leveling.load(data, how)
  if type(data) ~= "table" then refuse("a damaged save") end
  local keep, excess = how and how.keep or "level", how and how.excess or "hold"
  local found, track = leveling.new(data.track or ""), TRACKS[data.track]
  local xp, baseline = units_of(data, "xp", track.scale), units_of(data, "baseline", track.scale)
  for _, name in ipairs({ "earned", "lost", "wasted" }) do found[name] = units_of(data, name, track.scale) end
  local level, peak, points = count_of(data.level), count_of(data.peak_level), data.points
  if not level or not peak or peak < level then
    refuse("a damaged save: level %s, highest level %s", tostring(data.level), tostring(data.peak_level))
  end
  if type(points) ~= "number" or not (points >= 0 and points <= MOST) then refuse("a damaged save: %s points", tostring(points)) end
  if (keep ~= "level" and keep ~= "total_xp") or (excess ~= "hold" and excess ~= "award") then
    refuse("keep %s, excess %s; allowed: level or total_xp, hold or award", keep, excess)
  end
  if baseline + found.earned > MOST then refuse("a damaged save: more than %d units of XP", MOST) end
  for name, rank in pairs(data.ranks or {}) do
    if not count_of(rank) then refuse("a damaged save: rank %s of %s", tostring(rank), tostring(name)) end
    if UPGRADES[name] then found.ranks[name] = math.min(count_of(rank), #UPGRADES[name].effects - 1) end
  end
  found.level = math.min(math.max(level, track.start_level), max_level(track))
  found.peak_level, found.points = math.min(math.max(peak, found.level), max_level(track)), points
  place(found, xp, baseline + found.earned - found.lost - found.wasted, keep == "total_xp", excess == "award", how and how.fall)
  return found
end

local function by_level(name, level)
  local track = TRACKS[STATS[name]]
  if level < track.start_level or level > max_level(track) then
    refuse("level %s of %s; allowed: %d to %d", tostring(level), name, track.start_level, max_level(track))
  end
  return track.stats[name][level - track.start_level + 1]
end

-- A stat at a level, with some ranks of upgrades. A level outside the track is an error.
function leveling.stat(name, level, ranks)
  ranks = ranks or {}
  if name == "shear" then
    local value = by_level(name, level)
    value = value + UPGRADES["keen_edge"].effects[(ranks["keen_edge"] or 0) + 1]
    return value
  end
  if name == "windup" then
    local value = by_level(name, level)
    value = value * UPGRADES["quick_hands"].effects[(ranks["quick_hands"] or 0) + 1]
    return value
  end
  return by_level(name, level)
end

-- The XP that a success at a source gives before multipliers; `u` is your own uniform number, from 0 to below 1.
function leveling.draw(source, level, u)
  local given = SOURCES[source]
  if given.width == 0 then
    for item, up_to in ipairs(given.up_to) do
      if u < up_to then return given.amounts[item] end
    end
  end
  local low = given.low[#given.low > 1 and level - TRACKS["warden"].start_level + 1 or 1]
  return given.width > 1 and low + math.floor(u * given.width) or low
end

-- The units that an encounter awards to warden: the XP drawn times the multipliers in their order, rounded.
-- What is on: told.on = { ["blossom week"] = true }.
function leveling.award_for(source, level, drawn, success, told)
  told = told or {}
  local leader_level = told.leader_level or level
  local on = told.on or {}
  local gap = level - SOURCES[source].level
  local product = 1.0
  product = product * clip(1 - 0.08 * gap, 0.04, 1) -- outgrown
  if on["blossom week"] then product = product * FACTORS["blossom week"] end -- blossom week
  if on["market day"] then product = product * FACTORS["market day"] end -- market day
  product = product * banded(level / leader_level, BANDS["catch-up"]) -- catch-up
  local xp = drawn * product
  if success then return whole(math.max(math.floor(xp), LEAST_AWARD), TRACKS["warden"].scale) end
  return whole(math.floor(xp * XP_SHARE), TRACKS["warden"].scale)
end

-- The units that an encounter awards to the skill that its source practises.
function leveling.skill_award_for(source, level, success, told)
  told = told or {}
  local on = told.on or {}
  local skill, xp = PRACTISED[source][1], PRACTISED[source][2]
  local product = 1.0
  if on["blossom week"] then product = product * FACTORS["blossom week"] end -- blossom week
  if on["market day"] then product = product * FACTORS["market day"] end -- market day
  local exact = xp * product * (success and 1.0 or XP_SHARE)
  return whole(math.floor(exact), TRACKS[skill].scale)
end

-- Replace the costs, points and stats of a track by those of a levels_warden.csv. Anything else is an error.
function leveling.load_tables(name, text)
  local track, rows, head = table_of(name), {}, nil
  for line in text:gsub("^\xEF\xBB\xBF", ""):gmatch("[^\r\n]+") do
    local cells = {}
    for cell in (line .. ","):gmatch("([^,]*),") do cells[#cells + 1] = cell end
    if head then rows[#rows + 1] = cells else head = cells end
  end
  local columns = 4
  for _ in pairs(track.stats) do columns = columns + 1 end
  local known = head and table.concat(head, ",", 1, math.min(4, #head)) == "level,cost,total,points" and #head == columns and #rows > 1
  for column = 5, known and #head or 4 do known = known and track.stats[head[column]] end
  if not known then refuse("no table of %s: it begins %s", name, head and table.concat(head, ",") or "with nothing") end
  local costs, granted, stats, total = {}, {}, {}, 0
  for column = 5, #head do stats[head[column]] = {} end
  for place, row in ipairs(rows) do
    local cost = place == #rows and 1 or count_of(tonumber(row[2]))
    local fits = #row == #head and tonumber(row[1]) == track.start_level + place - 1 and cost and cost > 0 and tonumber(row[4])
    for column = 5, #head do
      stats[head[column]][place] = tonumber(row[column])
      fits = fits and stats[head[column]][place]
    end
    if not fits or total + cost > MOST then
      refuse("no table of %s: levels from %d on, and costs of 1 and more", name, track.start_level)
    end
    granted[place] = tonumber(row[4])
    if place < #rows then costs[place], total = cost, total + cost end
  end
  track.costs, track.granted, track.stats = costs, granted, stats
end

-- --- tables ----------------------------------------------------------------------------------------------------

leveling.DESIGN = "1efc73540feba32a"
LEAST_AWARD = 0
XP_SHARE = 0.1
-- Sources: XP is `low` (by level, or one for all) and up to `width` whole numbers from it; one of `amounts` where `width` is 0.
SOURCES = {
  ["aphid_cluster"] = { level = 1, low = { 9 }, width = 5 },
  ["seed_errand"] = { level = 3, low = { 150 }, width = 1 },
  ["shoot_graft"] = { level = 5, low = { 20 }, width = 1 },
  ["bark_borer"] = { level = 7, low = { 34 }, width = 1 },
  ["canker_bloom"] = { level = 14, low = { 46 }, width = 15 },
  ["rust_swarm"] = { level = 21, low = { 84 }, width = 1 },
  ["hollow_heart"] = { level = 29, low = { 0 }, width = 0, amounts = { 100, 150 }, up_to = { 0.7, 1 } },
  ["crown_rot"] = { level = 36, low = { 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162, 162 }, width = 1 },
}
FACTORS = {
  ["blossom week"] = 1.5,
  ["market day"] = 1.15,
}
BANDS = {
  ["catch-up"] = { { 0.4, 5 }, { 0.7, 2.5 }, { 0.95, 1.4 } },
}
PRACTISED = {
  ["shoot_graft"] = { "grafting", 1 },
}
SKILL_XP = {
}
-- What points buy: `effects` is what the ranks held add up or multiply to, from rank 0 on.
UPGRADES = {
  ["quick_hands"] = { price = 1, adds = false, effects = { 1, 0.93, 0.8649000000000001, 0.8043570000000001, 0.7480520100000001, 0.6956883693000002, 0.6469901834490002, 0.6017008706075703, 0.5595818096650403 } },
  ["keen_edge"] = { price = 1, adds = true, effects = { 0, 2, 4, 6, 8, 10, 12, 14, 16, 18, 20, 22, 24, 26, 28, 30, 32, 34, 36, 38, 40, 42, 44, 46, 48, 50, 52, 54, 56, 58, 60, 62, 64, 66, 68, 70, 72, 74, 76, 78, 80, 82, 84, 86, 88, 90, 92, 94, 96, 98, 100, 102, 104, 106, 108, 110, 112, 114, 116, 118, 120, 122, 124, 126, 128, 130, 132, 134, 136, 138, 140, 142, 144, 146, 148, 150, 152, 154, 156 } },
}
STATS = { ["resilience"] = "warden", ["shear"] = "warden", ["windup"] = "warden" }
-- Tracks: costs in units from the start level on, points granted up to each level, stats by level.
TRACKS = {
  ["warden"] = {
    rules = "a6f3dcb00f5318ed", scale = 1, start_level = 1, start_units = 0, start_points = 0, at_cap = "fill",
    costs = { 60, 84, 130, 191, 265, 350, 445, 549, 662, 783, 911, 1047, 1189, 1338, 1494, 1656, 1824, 1998, 2177, 5362, 2553, 2749, 2950, 3156, 3367, 3583, 3804, 4030, 4260, 4495, 4734, 4978, 5226, 5478, 5735, 5996, 6261, 6530, 6803 },
    granted = { 0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27, 28, 29, 30, 31, 32, 33, 34, 35, 36, 37, 38, 39 },
    stats = {
      ["resilience"] = { 80, 92, 104, 116, 128, 140, 152, 164, 176, 188, 200, 212, 224, 236, 248, 260, 272, 284, 296, 308, 320, 332, 344, 356, 368, 380, 392, 404, 416, 428, 440, 452, 464, 476, 488, 500, 512, 524, 536, 548 },
      ["shear"] = { 9, 9.540000000000001, 10.112400000000001, 10.719144, 11.362292640000003, 12.044030198400002, 12.766672010304003, 13.532672330922246, 14.344632670777582, 15.205310631024236, 16.11762926888569, 17.084687025018834, 18.109768246519963, 19.196354341311164, 20.34813560178983, 21.569023737897226, 22.86316516217106, 24.23495507190132, 25.689052376215404, 27.230395518788328, 28.86421924991563, 30.596072404910572, 32.43183674920521, 34.37774695415752, 36.44041177140698, 38.62683647769139, 40.94444666635288, 43.40111346633405, 46.0051802743141, 48.76549109077295, 51.69142055621933, 54.792905789592496, 58.08048013696805, 61.56530894518613, 65.2592274818973, 69.17478113081114, 73.32526799865981, 77.7247840785794, 82.38827112329417, 87.33156739069183 },
      ["windup"] = { 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4, 1.4 },
     },
  },
  ["grafting"] = {
    rules = "29142f335b33902b", scale = 1, start_level = 1, start_units = 0, start_points = 0, at_cap = "discard",
    costs = { 5, 6, 9, 12, 16, 22, 30, 40, 55, 74, 100, 135, 183, 247 },
    granted = { 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0 },
    stats = { },
  },
}

return leveling
