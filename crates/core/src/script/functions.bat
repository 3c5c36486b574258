
:staging
rem A staging folder that nobody had, in TP_STAGING.
set "TP_READY="
set "TP_BASE=%TP_STAGING%"
set "TP_COUNT=1"
:another
if exist "%TP_STAGING%\" goto next_name
mkdir "%TP_STAGING%"
if exist "%TP_STAGING%\" set "TP_READY=1"
exit /b 0
:next_name
set /a TP_COUNT+=1 >nul
set "TP_STAGING=%TP_BASE%-%TP_COUNT%"
if %TP_COUNT% lss 999 goto another
exit /b 1

:bring
rem Brings one frame to its true name, TP_TRUE.
set "TP_FOUND="
if "%TP_PADS%"=="any" for /f "delims=" %%F in ('dir /b /a-d "%TP_STAGING%"') do set "TP_FOUND=%TP_STAGING%\%%F"
if "%TP_PADS%"=="none" if exist "%TP_STAGING%\%TP_HEAD%" set "TP_FOUND=%TP_STAGING%\%TP_HEAD%"
if "%TP_PADS%"=="all" for %%P in (x x0 x00 x000 x0000 x00000 x000000 x0000000) do call :candidate %%P
if not defined TP_FOUND exit /b 0
if exist "%TP_TRUE%" exit /b 0
for %%F in ("%TP_FOUND%") do if %%~zF equ 0 exit /b 0
set "TP_HALF=%TP_PLACE%\truepath-half-%TP_NAME%"
if exist "%TP_HALF%" exit /b 0
move "%TP_FOUND%" "%TP_HALF%" >nul
if not exist "%TP_HALF%" exit /b 0
ren "%TP_HALF%" "%TP_ONLY%"
if exist "%TP_HALF%" echo left as "%TP_HALF%": its name is taken
exit /b 0

:candidate
set "TP_PAD=%1"
set "TP_TRY=%TP_STAGING%\%TP_HEAD%%TP_SIGN%%TP_PAD:~1%%TP_FRAME%%TP_TAIL%"
if exist "%TP_TRY%" set "TP_FOUND=%TP_TRY%"
exit /b 0

:still
if exist "%TP_TRUE%" exit /b 0
set /a TP_LOST+=1 >nul
echo missing: "%TP_TRUE%"
exit /b 0
