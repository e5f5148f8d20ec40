-- Answers runs of awards with leveling.lua: `ramulus conform FILE -- lua harness.lua`. Put your own game's calls in their place.
local leveling = require("leveling")

local function state(ledger, award)
  local more = award and string.format(',"award":%d', award) or ""
  return string.format('{"level":%d,"xp":%d,"points":%.17g,"wasted":%d%s}', ledger.level, ledger.xp, ledger.points, ledger.wasted, more)
end

for line in io.lines() do
  local track = line:match('"track":"([^"]*)"')
  local ledger, answers = leveling.new(track), {}
  answers[1] = state(ledger)
  for step in line:match('"do":%[(.*)%]'):gmatch("%b{}") do
    local function number(key) return tonumber(step:match('"' .. key .. '":(%-?[%d.eE+-]+)')) end
    local source, award = step:match('"encounter":"([^"]*)"'), nil
    if step:find('^{"award"') then ledger:award(number("award"))
    elseif step:find('^{"lose"') then ledger:lose(number("lose"))
    elseif step:find('^{"reload"') then ledger = leveling.load(ledger:save())
    else
      local told = { on = {}, skill_level = number("skill_level"), leader_level = number("leader_level"), party_size = number("party_size"), player = step:match('"player":"([^"]*)"') }
      for name in (step:match('"on":(%b[])') or ""):gmatch('"([^"]*)"') do told.on[name] = true end
      if track ~= "warden" then award = leveling.skill_award_for(source, number("level"), number("success") == 1, told) end
      award = award or leveling.award_for(source, ledger.level, number("xp"), number("success") == 1, told)
      ledger:award(award)
    end
    answers[#answers + 1] = state(ledger, award)
  end
  print(string.format('{"id":%s,"design":"%s","states":[%s]}', line:match('"id":(%d+)'), leveling.DESIGN, table.concat(answers, ",")))
  io.flush()
end
