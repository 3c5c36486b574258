
$script:Done = 0
$script:Failed = 0
$script:Before = 0
$script:Lost = 0

# The frames of strands: first, last and step each.
function Get-Frames($Strands) {
  foreach ($Strand in $Strands) {
    for ($Frame = $Strand[0]; $Frame -le $Strand[1]; $Frame += $Strand[2]) { $Frame }
  }
}

# The true name of a frame.
function Get-TrueName($File, $Frame) {
  if ($File.Digits -eq 0) { return $File.Before + $File.After }
  $Sign = ''
  if ($Frame -lt 0) { $Sign = '-' }
  $File.Before + $Sign + ([Math]::Abs($Frame)).ToString('D' + $File.Digits) + $File.After
}

# The file of a frame in a staging folder, if the engine has written one.
function Find-Native($File, $Frame, $Staging) {
  $All = Get-ChildItem -LiteralPath $Staging -File -Force | Where-Object { $_.Length -gt 0 }
  foreach ($One in $All) {
    $Name = $One.Name
    switch ($File.How) {
      'any' { return $One.FullName }
      'one' { if ($Name -ceq $File.Head) { return $One.FullName } }
      'digits' {
        $Length = $Name.Length - $File.Head.Length - $File.Tail.Length
        if ($Length -gt 0 -and $Name.StartsWith($File.Head, 'Ordinal') -and $Name.EndsWith($File.Tail, 'Ordinal')) {
          $Found = $Name.Substring($File.Head.Length, $Length)
          if ($Found -match '^-?[0-9]{1,17}$' -and [long]$Found -eq $Frame) { return $One.FullName }
        }
      }
    }
  }
}

# One step: runs the engine where anything is missing, and brings its files to their true names.
function Step($Number, $Name, $Folder, $Staging, $Files, $Folders, $Fine, $Engine) {
  if ($Stop -and $script:Failed) { return }
  foreach ($One in $Folders) { [void][IO.Directory]::CreateDirectory($One) }
  [void][IO.Directory]::CreateDirectory("$Folder\truepath-logs")
  $Missing = foreach ($File in $Files) {
    foreach ($Frame in Get-Frames $File.Strands) {
      if (-not (Test-Path -LiteralPath (Get-TrueName $File $Frame))) { $Frame }
    }
  }
  foreach ($Source in $script:Sources) {
    if (-not (Test-Path -LiteralPath $Source)) {
      $script:Failed++
      Write-Host "${Name}: its sequence is not whole: $Source"
      return
    }
  }
  if (-not $Missing) { $script:Before++; return }
  $Base = $Staging
  for ($Count = 2; Test-Path -LiteralPath $Staging; $Count++) { $Staging = "$Base-$Count" }
  [void][IO.Directory]::CreateDirectory($Staging)
  Write-Host "${Number}: $Name"
  Push-Location -LiteralPath $Staging
  $global:LASTEXITCODE = 127
  & $Engine *>> "$Folder\truepath-logs\$Name.log"
  $Status = $global:LASTEXITCODE
  Pop-Location
  if ($Status -ne 0 -and $Fine -notcontains $Status) {
    $script:Failed++
    Write-Host "${Name}: it ended with exit code $Status"
  } else {
    foreach ($File in $Files) {
      foreach ($Frame in Get-Frames $File.Strands) {
        $Native = Find-Native $File $Frame $Staging
        $True = Get-TrueName $File $Frame
        if ($Native -and -not (Test-Path -LiteralPath $True)) { [IO.File]::Move($Native, $True) }
      }
    }
    if (-not (Get-ChildItem -LiteralPath $Staging -Force)) { Remove-Item -LiteralPath $Staging }
    $script:Done++
  }
  foreach ($File in $Files) {
    foreach ($Frame in Get-Frames $File.Strands) {
      $True = Get-TrueName $File $Frame
      if (-not (Test-Path -LiteralPath $True)) { $script:Lost++; Write-Host "missing: $True" }
    }
  }
}

