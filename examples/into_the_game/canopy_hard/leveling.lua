-- Canopy Wardens, hard: levels, XP and awards as designed.
--
--   local leveling = require("leveling")
--   local ledger = leveling.new()           -- the track warden
--   local change = ledger:award(120)        -- in units of XP; change.level_after - change.level_before levels gained
--   print(ledger:label(), ledger:progress()) -- the bar: its text, and 0 to 1
--   local data = ledger:save()              -- plain data; leveling.load(data) goes on from it
--
-- Written by Ramulus 0.1.0 from design 3dc11a2b0c55add0; it is yours to read and change. A retune changes the tables at the end only.

local leveling = {}
local Ledger = {}
Ledger.__index = Ledger

local MOST = 2 ^ 53 - 1 | 0 -- The largest whole number that every language counts exactly.
local LEAST_AWARD, XP_SHARE, SOURCES, FACTORS, BANDS, TRACKS

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

local function part_of(units, share) -- In billionths, exact.
  local part = share % 1000000000
  return units * (share // 1000000000) + units // 1000000000 * part + units % 1000000000 * part // 1000000000
end

-- What stays of the XP past a threshold, at the level just reached.
local function kept_of(track, level, excess)
  local kept = part_of(excess, track.carry)
  return kept
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

-- --- a character on one track ---------------------------------------------------------------------------------

function leveling.new(track)
  track = track or "warden"
  local start = table_of(track)
  return setmetatable({
    track = track, level = start.start_level, peak_level = start.start_level, xp = start.start_units, points = start.start_points,
    baseline = start.start_units, earned = 0, lost = 0, wasted = 0,

  }, Ledger)
end

-- Add XP and go up as far as it carries; return what is wasted and the points granted.
local function book(self, units)
  local track, wasted = TRACKS[self.track], 0
  self.xp = self.xp + units
  while self.level < max_level(track) and self.xp >= threshold(track, self.level) do
    local excess = self.xp - cost_of(track, self.level)
    self.level = self.level + 1
    self.xp = kept_of(track, self.level, excess)
    wasted = wasted + excess - self.xp
    if track.one then break end
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
  local track, left = TRACKS[self.track], units - taken
  while left > 0 and track.may_drop and self.level > track.start_level do
    self.level = self.level - 1
    local cost = cost_of(track, self.level)
    local part = math.min(left, cost)
    self.xp = cost - part
    left = left - part
    taken = taken + part
  end
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

-- The state as plain data, in XP.
function Ledger:save()
  local track = TRACKS[self.track]
  local data = { format = 1, track = self.track, rules = track.rules, level = self.level, peak_level = self.peak_level, points = self.points }
  for _, name in ipairs({ "xp", "earned", "lost", "wasted", "baseline" }) do data[name] = xp_of(self[name], track.scale) end
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
  elseif xp >= threshold(track, self.level) and not track.one and not award then
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
  found.level = math.min(math.max(level, track.start_level), max_level(track))
  found.peak_level, found.points = math.min(math.max(peak, found.level), max_level(track)), points
  place(found, xp, baseline + found.earned - found.lost - found.wasted, keep == "total_xp", excess == "award", how and how.fall)
  return found
end

-- The XP that a success at a source gives before multipliers; `u` is your own uniform number, from 0 to below 1.
function leveling.draw(source, level, u)
  local given = SOURCES[source]
  local low = given.low[1]
  return given.width > 1 and low + math.floor(u * given.width) or low
end

-- The units that an encounter awards to warden: the XP drawn times the multipliers in their order, rounded.
function leveling.award_for(source, level, drawn, success)
  local gap = level - SOURCES[source].level
  local product = 1.0
  product = product * clip(1 - 0.08 * gap, 0.04, 1) -- outgrown
  local xp = drawn * product
  if success then return whole(math.max(math.floor(xp), LEAST_AWARD), TRACKS["warden"].scale) end
  return whole(math.floor(xp * XP_SHARE), TRACKS["warden"].scale)
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

leveling.DESIGN = "3dc11a2b0c55add0"
LEAST_AWARD = 0
XP_SHARE = 0.1
-- Sources: XP is `low` (by level, or one for all) and up to `width` whole numbers from it.
SOURCES = {
  ["aphid_cluster"] = { level = 1, low = { 9 }, width = 5 },
  ["bark_borer"] = { level = 7, low = { 34 }, width = 1 },
}
FACTORS = {
}
BANDS = {
}
-- Tracks: costs in units from the start level on, points granted up to each level, stats by level.
TRACKS = {
  ["warden"] = {
    rules = "84b6bb54b2c868b3", scale = 1, start_level = 1, start_units = 0, start_points = 0, at_cap = "discard",
    carry = 500000000, one = true, may_drop = true,
    costs = { 43, 49, 59, 71, 86, 103, 121, 142, 165, 190, 216, 244, 274, 306, 339, 374, 410, 448, 487 },
    granted = { 0, 2, 4, 6, 8, 10, 12, 14, 16, 18, 20, 22, 24, 26, 28, 30, 32, 34, 36, 38 },
    stats = { },
  },
}

return leveling
