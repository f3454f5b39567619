local count = 0
total = 0
on.start(function() log('begins in', state(), time()); every('beat', 0.25) end)
on.timer('beat', function()
  total = total + 1
  send('BladeState', {BladeDepth = total / 2})
  if total == 4 then enter('deep') end
  if total == 6 then cancel('beat'); timer('late', 0.5) end
end)
on.timer('late', function() fault('too late'); print({1}, nil, 'x') end)
on.enter('deep', function(before) log('was', before) end)
on.leave('deep', function(next) log('goes', next) end)
on.message('BladeCommand', function(f)
  count = count + 1
  if count <= 2 then log(f.message, f.bus, f.id, f.length, f.time, f.CommandedDepth, f[0]) end
end)
on.change('BladeCommand.CommandedDepth', function(v, b) if count < 5 then log('depth', v, b) end end)
on.condition('CommandedDepth > 1', function() log('deep asked', value('CommandedDepth')) end)
on.frame('id 0x201', function(f) if count < 2 then log('filter', f.length) end end)
on.stop(function() log('stop', time(), value('BladeState.BladeDepth')) end)
