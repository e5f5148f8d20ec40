-- Awards, the bar, a save, and a save of an older design: lua play.lua
local leveling = require("leveling")

local warden = leveling.new()

local function show()
  local full = math.floor(20 * warden:progress() + 0.5)
  print("[" .. ("#"):rep(full) .. ("."):rep(20 - full) .. "] " .. warden:label())
end

show()
local borer = leveling.award_for("bark_borer", 7, 34, true, { on = { ["blossom week"] = true } })
for _, units in ipairs({ 40, 400, borer }) do
  local change = warden:award(units)
  print(string.format("+%d XP, %d levels, %g points", units, change.level_after - change.level_before, change.points))
  show()
end
warden:buy("keen_edge")
print(string.format("shear %.2f", warden:stat("shear")))
local saved = warden:save() -- Plain data: write it as you write your saves.
warden = leveling.load(saved)
show()

-- When levels cost more: the level stays, and XP that would pay for it now is held below its cost.
saved.rules, saved.level, saved.peak_level, saved.xp = "older", 9, 9, 700
warden = leveling.load(saved)
show()
