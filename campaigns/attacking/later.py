"""Names put down later, when those of ``vocabulary`` had been looked at; in the same order of languages."""

from __future__ import annotations

from lean_trim.core.data.channels import Role

LATER: dict[Role | str, tuple[str, ...]] = {
    "time": (
        "Recording Time | Time Since Start | Sample Time | Logging Time | "
        "Offset Time | Time Into Run | Test Time | Elapsed | Timestamp | "
        "Record Time",
        "log_t | tm | sec | T_s | tlog | elapsed | tRel | time | t_log | Tm",
        "Aufzeichnungszeit | Zeit seit Start | Messdauer | Protokollzeit | "
        "Zeit ab Beginn | Aufnahmezeit | Zeitstempel | Zeit | Uhr",
        "Temps d'enregistrement | Temps depuis le début | Chrono | "
        "Heure relative | Durée écoulée | Temps | Temps log",
        "Tiempo de registro | Tiempo desde inicio | Tiempo de grabación | Segundos | Tiempo | Hora",
        "Tempo di registrazione | Tempo dall'inizio | Tempo di log | Secondi | Tempo | Ora",
        "Tempo de gravação | Tempo desde o início | Tempo do registo | Segundos | Tempo | Hora",
        "Czas rejestracji | Upływ czasu | Czas logowania | Sekundy | Czas | Czas rejestr.",
        "Время от старта | Длительность | Секунды | Время лога | Время | Таймер",
        "記録時間 | 経過秒 | 記録開始からの時間 | 秒 | 時刻 | タイム",
        "采样时间 | 运行时间 | 秒 | 日志时间 | 时间 | 采样时刻",
    ),
    Role.RPM: (
        "Motor RPM | Engine Rev Count | Crank RPM | Engine Rotational Speed | "
        "Engine Rotation Rate | Revs Per Minute | Shaft Speed (Engine) | "
        "Rotational Speed | Engine Tach | Eng. Speed | Engine RPM (crank) | "
        "RPM - Engine | Engine revs/min",
        "RPM_Eng | motor_rpm | ESpeed | EngineRev | nmot | Ne | EngSpd | rev_min | "
        "n_crk | Eng_RPM | EngineSpd | nEngine | RPMeng",
        "Umdrehungen pro Minute | Drehzahl Kurbelwelle | Motorumdrehungen | "
        "Drehz. | Motordreh. | Kurbelwellen-Drehzahl | U/min Motor | "
        "Motordrehzahl Ist | Drehzahl Mot. | n Motor",
        "Vitesse moteur | Tours/min | Compte-tours | Vitesse vilebrequin | "
        "Rég. moteur | Régime mot. | Vit. rotation moteur",
        "Vueltas del motor | Rotación del motor | RPM | "
        "Velocidad de giro del motor | Régimen | Rev. motor | RPM motor | "
        "Rég. de giro | Vel. motor",
        "Numero giri motore | Velocità motore | RPM motore | "
        "Velocità albero motore | Reg. motore | Regime mot. | Giri mot.",
        "Velocidade de rotação | Rotação motor | Rpm | Velocidade do motor | "
        "Rot. do motor | RPM motor | Regime mot.",
        "Liczba obrotów | Prędkość silnika | RPM silnika | Prędkość wału | "
        "Obr. silnika | Prędk. obr.",
        "Число оборотов | Обороты коленчатого вала | "
        "Скорость двигателя | Частота оборотов двигателя | "
        "Об. двиг. | Обороты двиг. | Част. вращ.",
        "エンジン速度 | 機関速度 | エンジン回転計 | 回転速度 エンジン | "
        "エンジン回転数 | 回転数(rpm)",
        "引擎转数 | 马达转速 | 发动机转数 | 曲轴速度 | 发动机转速 | 引擎转速",
    ),
    Role.MAP: (
        "Manifold Absolute Pressure | Boost Pressure Absolute | "
        "Charge Pressure Absolute | Intake Vacuum/Pressure | "
        "Inlet Plenum Pressure | Air Box Pressure (Abs) | Manifold Press. | "
        "Absolute Manifold Pressure | Induction Pressure | Manif. Pressure | "
        "Intake Man. Pressure | MAP Sensor | Manifold Abs. Press",
        "MAPabs | IMAP | man_abs_p | intake_p | pim | ManP | MAP_kPa | pInt | "
        "psr | pManifold | MAPsens | P_manif | IntManP",
        "Krümmerdruck | Absolutdruck Saugrohr | Saugrohr-Absolutdruck | "
        "Saugrohrdr. | Druck im Saugrohr | Ladedruck absolut | "
        "Ansaugkrümmerdruck | Saugrohrdruck abs. | Ansaugdr. | Druck Ansaugrohr",
        "Pression d'admission absolue | PAM | Pression dans le collecteur | "
        "Pression d'air collecteur | P. admission | Pression absolue collecteur | "
        "Press. collecteur | Pression adm.",
        "Presión absoluta de admisión | Presión colector | "
        "Presión múltiple admisión | Pres. admisión | "
        "Presión absoluta del múltiple | Presión MAP | Pres. colector",
        "Pressione assoluta aspirazione | Pressione nel collettore | "
        "Press. collettore | Pressione assoluta di aspirazione | Press. aspiraz. | "
        "Pressione MAP",
        "Pressão absoluta de admissão | Pressão no coletor | "
        "Pressão absoluta no coletor | Pressão MAP | Pressão coletor | "
        "Pres. admissão",
        "Ciśnienie kolektora dolotowego | Podciśnienie kolektora abs. | "
        "Ciśnienie w kolektorze | Ciśnienie absolutne w dolocie | Ciśn. dolotu | "
        "Ciśnienie MAP",
        "Давление в коллекторе | Давление наддува абсолютное | "
        "Давление во впускном коллекторе | Абс. давление впуска | "
        "Давл. впуска | Давление MAP",
        "インテークマニホールド圧 | 吸入管圧力 | 吸気マニホールド絶対圧 | "
        "過給圧 絶対 | インマニ圧力 | 吸気管圧力",
        "进气歧管压力 | 歧管绝对压力 | 进气管绝对压力 | 歧管压力 | 歧管绝压",
    ),
    Role.THROTTLE: (
        "Throttle Valve | Throttle Pos | Throttle Blade Angle | "
        "Throttle Body Opening | Butterfly Position | Throttle Actual | "
        "ETB Position | Throttle Pos. | Throttle Opening Angle | TPS Main",
        "TPS1 | thr_pct | throttle1 | thrPct | alpha_thr | TPSact | tps_pos | "
        "TPSmain | ThrottlePos | throt_pos | ThrAngle",
        "Drosselklappenposition | Drosselwinkel | Drosselklappe Ist | "
        "Drosselkl.-Stellung | Drosselklappe % | DK-Winkel | Drosselstellung | "
        "Drosselkl. Pos. | Drosselklappenwinkel",
        "Papillon des gaz | Ouverture des gaz | Position du papillon | "
        "Angle du papillon | Pos. papillon | Papillon (%)",
        "Válvula de mariposa | Apertura del cuerpo de aceleración | "
        "Posición de la mariposa | Posición acelerador mariposa | "
        "Pos. mariposa | Mariposa TPS",
        "Corpo farfallato | Posizione valvola farfalla | Posizione farfalla | "
        "Farfalla motorizzata | Pos. farfalla | TPS farfalla",
        "Corpo de borboleta | Posição borboleta | Posição da borboleta | "
        "Borboleta TPS | Pos. borboleta | TPS borboleta",
        "Uchylenie przepustnicy | Pozycja przepustnicy | Położenie przepust. | "
        "Stopień otwarcia przepustnicy | Poz. przepustnicy | TPS",
        "Положение ДЗ | Дроссельная заслонка | "
        "Угол открытия дросселя | Положение дросселя | "
        "Дроссель полож. | Полож. дросс. заслонки",
        "スロットルバルブ開度 | スロットル角度 | スロットル弁開度 | "
        "スロットルポジション | スロットル開度 | TPS開度",
        "节气门角度 | 节气门阀位置 | 油门阀开度 | 节流阀开度 | 节气门开度 | TPS",
    ),
    Role.IAT: (
        "Intake Charge Temp | Air Inlet Temp | Temperature of Intake Air | "
        "Induction Air Temp | Air Temperature (Inlet) | Temp Intake | "
        "Post-Filter Air Temp | Intake Air Temp. | Charge Temp | "
        "Air Intake Temperature | Inlet Temp.",
        "iat_c | AirT | Tair | tInt | Tia | tAirIn | IntakeT | ChargeT | IATsens | "
        "AirTemp | T_intake | tIAT",
        "Temperatur Ansaugluft | Ladelufttemperatur | Lufttemp. Saugrohr | "
        "Lufttemp. | Ansauglufttemp. | Temperatur Luft Einlass | Ansauglufttemp | "
        "T Luft | Luft-Temp. Ansaugung",
        "Température de l'air aspiré | T° air | Temp. admission | "
        "Température air collecteur | Temp. air adm. | Temp. air",
        "Temperatura aire entrada | Temp. del aire de admisión | Temp. admisión | "
        "Temperatura aire colector | Temp. aire adm. | T. aire",
        "Temperatura aria ingresso | Temp. aria | Temp. aspirazione | "
        "Temperatura aria collettore | Temp. aria asp. | T. aria",
        "Temperatura do ar admitido | Temp. do ar | Temp. admissão | "
        "Temperatura ar coletor | Temp. ar adm. | T. ar",
        "Temp. powietrza zasysanego | Temperatura zasysanego powietrza | "
        "Temp. powietrza | Temp. dolotu | Temp. pow. dolot. | Temp. pow.",
        "Темп. впускного воздуха | Температура на впуске | "
        "Температура впускного воздуха | Темп. воздуха | "
        "Темп. воздуха впуск | Т воздуха",
        "吸気温センサ | 吸入気温 | 吸気温 | 吸入空気温 | 吸気温度 | インテーク温度",
        "进气歧管温度 | 吸入空气温度 | 进气温度 | 吸气温度 | 进气温 | 进气空气温度",
    ),
    Role.COOLANT: (
        "Radiator Water Temp | Coolant Temperature Sensor | Engine Block Temp | "
        "Jacket Water Temp | Water Temp | Cylinder Head Coolant Temp | "
        "Engine Temp | ECT Sensor | Cooling Water Temperature | Coolant Temp. | "
        "Eng. Coolant Temp | Water Temperature | ECT",
        "clt_c | ECTemp | WaterT | twater | tmot | Tcool | EngT | WTemp | tw | "
        "CoolantT | T_cool | ClntTemp | tECT",
        "Temperatur Kühlmittel | Kühlmitteltemp. | Motorwassertemperatur | "
        "Wassertemp. | Motortemp. | Kühlwassertemperatur | Kühlmitteltemp | "
        "Wassertemperatur | T Wasser",
        "T° eau | Température du liquide de refroidissement | "
        "Température eau moteur | Temp. liquide | Temp. moteur | "
        "Temp. liq. refr. | Temp. eau",
        "Temp. agua | Temperatura líquido refrigerante | Temp. motor | "
        "Temperatura del agua | Temp. refrigerante | Temp. refrig. | T. agua",
        "Temp. acqua motore | Temp. liquido | Temp. motore | Temperatura acqua | "
        "Temp. refrigerante | Temp. acqua | T. liquido raffr.",
        "Temp. da água | Temperatura do arrefecimento | Temp. motor | "
        "Temperatura da água | Temp. arrefecimento | Temp. água | T. liq. arref.",
        "Temp. silnika | Temperatura chłodziwa | Temp. cieczy | "
        "Temperatura płynu chłodzącego | Temp. płynu | Temp. wody",
        "Темп. ОЖ | Температура охл. жидкости | Темп. двигателя | "
        "Температура антифриза | Темп. охл. | Т охл. жидк.",
        "クーラント温度 | 水温センサ | 水温 | 冷却水温 | エンジン水温",
        "水箱温度 | 冷却水温度 | 水温 | 发动机水温 | 冷却液温度 | 冷却液温",
    ),
    Role.BATTERY: (
        "Batt Voltage | Ignition Voltage | Electrical System Voltage | Volts | "
        "ECU Supply Voltage | Power Supply | Vehicle Voltage | Charging Voltage | "
        "Main Relay Voltage | Batt. Voltage | Battery V | System Volts",
        "BattV | bat_volt | Ub | sys_v | VBat | ubat | Vsup | BatU | KL30 | "
        "Vbatt | BattVolt | U_bat | batV",
        "Spannung Batterie | Bordnetz Spannung | Klemme 15 Spannung | "
        "Batteriespg. | Versorgungsspannung | U Batterie | Spannung KL30 | "
        "Batt.-Spannung | Bordspannung | U Batt",
        "Tension de bord | Tension de la batterie | Tension alim | Tension batt. | "
        "Tension d'alimentation | U batterie",
        "Voltaje del sistema | Tensión batería | Voltaje batería | "
        "Tensión alimentación | Volt. bat. | Tensión bat. | Volt. batería",
        "Tensione di bordo | Volt batteria | Tensione batt. | "
        "Tensione alimentazione | Tens. batteria | V batteria",
        "Voltagem do sistema | Tensão bateria | Tensão alimentação | "
        "Tensão da bat. | Tensão bat. | Volt. bateria",
        "Napięcie baterii | Napięcie pokładowe | Napięcie akum. | "
        "Napięcie zasilania | Nap. akumulatora | Napięcie",
        "Напряжение батареи | Напряжение борт. сети | "
        "Напряжение питания | Напр. АКБ | U борт. сети",
        "バッテリ電源 | 電圧バッテリ | 電源電圧 | バッテリー電圧 | バッテリ電圧",
        "蓄电池电压 | 系统电压 | 供电电压 | 电瓶电压",
    ),
    Role.LAMBDA: (
        "Air/Fuel Lambda | Lambda (Wideband) | Lambda Reading | Broadband Lambda | "
        "Lambda Measured | Exhaust Lambda | Lambda Sensor Value | Mixture Lambda | "
        "Lambda Bank 1 Actual | Wideband O2 Lambda | Lambda Actual | "
        "Meas. Lambda | WB Lambda 1 | Lambda (measured)",
        "lam_wb | lambda_act | LamMeas | wbo2_lam | lam1 | LamAct | rlam | "
        "lambda_m | WBlam | lambda1 | lam_actual | WB_lam",
        "Lambda gem. | Breitbandlambda | Lambda aktuell | Abgaslambda | "
        "Lambdawert | Lambda-Istwert | Lambda Abgas | Gemisch Lambda Ist | "
        "Lambda Ist | Lambda gemessen | Lambda-Ist",
        "Lambda mesurée | Lambda actuel | Mesure lambda | Lambda réel | "
        "Richesse lambda mesurée | Lambda sonde | Lambda mes. | Lambda mesuré",
        "Lambda actual | Lectura lambda | Lambda medido | Lambda real | "
        "Lambda sonda | Lambda escape | Lambda medida | Lambda act.",
        "Lambda attuale | Lettura lambda | Lambda effettiva | Lambda reale | "
        "Lambda sonda | Lambda scarico | Lambda mis. | Lambda misurata",
        "Lambda atual | Leitura lambda | Lambda real | Lambda sonda | "
        "Lambda escape | Lambda med. | Lambda medida",
        "Lambda aktualna | Odczyt lambda | Lambda rzeczywista | Lambda zmierzona | "
        "Lambda z sondy | Lambda zmierz. | Lambda pomiar",
        "Фактическая лямбда | Лямбда текущая | "
        "Лямбда измеренная | Лямбда факт | Лямбда ШДК | "
        "Лямбда измер. | Лямбда тек.",
        "ラムダ実測値 | 測定ラムダ | ラムダ値 | 実ラムダ | 空燃比λ 実測 | 実測ラムダ | ラムダ実測",
        "测量λ | 当前λ | 实测λ | 实际λ | 过量空气系数 | 实测lambda | 测得λ",
    ),
    Role.TARGET: (
        "Lambda Goal | Wanted Lambda | Lambda Reference | Lambda Aim | "
        "Demanded Lambda | Lambda Request | Lambda Setpoint | Commanded Lambda | "
        "Lambda Desired Value | Lambda Target | Target Lambda | Lambda Des. | "
        "Req. Lambda",
        "lam_target | LamCmd | lambda_ref | lam_goal | lamSP | LamDes | lam_dem | "
        "lamTgt | lambda_soll | lambda_tgt | LamReq | lam_setp | LambdaTrg",
        "Lambda Ziel | Lambda-Sollwert | Soll-Lambda | Lambda Führungsgröße | "
        "Lambda Soll | Solllambda | Lambda-Vorgabe | Zielwert Lambda | "
        "Lambda Sollwert",
        "Lambda consigne | Objectif lambda | Lambda visé | Lambda cible | "
        "Lambda demandé | Cons. lambda | Cible lambda",
        "Lambda de consigna | Lambda comandada | Objetivo lambda | "
        "Lambda objetivo | Lambda deseada | Lambda pedida | Lambda obj.",
        "Lambda comandata | Lambda di riferimento | Lambda obiettivo | "
        "Lambda richiesta | Lambda target | Lambda ob.",
        "Lambda de referência | Lambda solicitada | Lambda alvo | Lambda desejada | Lambda desej.",
        "Lambda żądana | Wartość zadana lambda | Lambda zadana | "
        "Lambda docelowa | Lambda zad. | Lambda cel",
        "Требуемая лямбда | Уставка лямбды | Лямбда заданная | "
        "Целевая лямбда | Желаемая лямбда | Лямбда зад. | "
        "Лямбда цель",
        "ラムダ要求値 | 狙いラムダ | 目標ラムダ | 目標λ | 要求ラムダ | ラムダ目標",
        "设定λ | 需求λ | 目标λ | 期望λ | 给定λ | 目标lambda",
    ),
    Role.STFT: (
        "Short-Term Fuel Correction | STFT Bank 1 | Instant Fuel Trim | "
        "Short Trim | Short Term Trim | Fuel Trim (Short) | "
        "Closed Loop Correction | Short Term Fueling Correction | "
        "Short Term Fuel Trim | ST Fuel Trim | Short Fuel Trim",
        "ST_FT | stfuel | ShortTrim | FT_ST | STFT1 | stft_b1 | trimST | FTshort | "
        "STFuelTrim | STrim | FuelTrimShort",
        "Kurzzeit Gemischkorrektur | Kurzzeit-Adaption | STFT Bank 1 | "
        "Kurzzeittrim | Kurzzeit-Gemischtrimm | Kurzfr. Kraftstofftrimm | "
        "Kurzzeit-Trimm | Kurzzeittrimmung",
        "Correction richesse CT | Adaptation court terme | "
        "Correction court terme | Trim carb. court | "
        "Corr. court terme | Trim CT",
        "Corrección combustible corto plazo | Trim corto | Ajuste corto plazo | "
        "Corrección corto plazo | Trim comb. corto | Ajuste C/P | Trim corto plazo",
        "Correzione carburante breve | Adattamento breve termine | "
        "Correzione breve termine | Trim breve | Trim carb. breve | Corr. breve | "
        "Trim breve t.",
        "Correção combustível curto prazo | Ajuste de curto prazo | "
        "Ajuste curto prazo | Correção curto prazo | Ajuste CP | Trim curto",
        "Korekcja krótkoterminowa | Krótkoterminowe dostrojenie paliwa | "
        "Korekta krótkoterminowa | Trim krótki | Korekta krótkot. | "
        "Trim krótkoterm.",
        "Мгновенная коррекция топлива | Коррекция топлива кратк. | "
        "Краткосрочная коррекция | Кратковрем. топливокоррекция | "
        "Кратк. коррекция | Коррекция кратк.",
        "燃料補正(短期) | ショートタームトリム | 短期燃料補正 | 短期トリム | "
        "短期燃料トリム | 短期補正",
        "燃油短期修正 | 短时燃油修正 | 短期燃油修正 | 短期修正 | 短期燃调",
    ),
    Role.LTFT: (
        "Long-Term Fuel Correction | LTFT Bank 1 | Long Trim | "
        "Adaptive Fuel Trim | Long Term Trim | Fuel Trim (Long) | "
        "Learned Fuel Correction | Long Term Fueling Correction | "
        "Long Term Fuel Trim | LT Fuel Trim | Long Fuel Trim",
        "LT_FT | ltfuel | LongTrim | FT_LT | LTFT1 | ltft_b1 | trimLT | FTlong | "
        "LTFuelTrim | LTrim | FuelTrimLong",
        "Langzeit Gemischkorrektur | Langzeit-Adaption | LTFT Bank 1 | "
        "Langzeittrim | Langzeit-Gemischtrimm | Langfr. Kraftstofftrimm | "
        "Langzeit-Trimm | Langzeittrimmung",
        "Correction richesse LT | Adaptation long terme | Correction long terme | "
        "Trim carb. long | Corr. long terme | Trim LT",
        "Corrección combustible largo plazo | Trim largo | Ajuste largo plazo | "
        "Corrección largo plazo | Trim comb. largo | Ajuste L/P | Trim largo plazo",
        "Correzione carburante lungo | Adattamento lungo termine | "
        "Correzione lungo termine | Trim lungo | Trim carb. lungo | Corr. lunga | "
        "Trim lungo t.",
        "Correção combustível longo prazo | Ajuste de longo prazo | "
        "Ajuste longo prazo | Correção longo prazo | Ajuste LP | Trim longo",
        "Korekcja długoterminowa | Długoterminowe dostrojenie paliwa | "
        "Korekta długoterminowa | Trim długi | Korekta długot. | Trim długoterm.",
        "Долговременная коррекция | Коррекция топлива долг. | "
        "Долгосрочная коррекция | Долговрем. топливокоррекция | "
        "Долг. коррекция | Коррекция долг.",
        "燃料補正(長期) | ロングタームトリム | 長期燃料補正 | 長期トリム | "
        "長期燃料トリム | 長期補正",
        "燃油长期修正 | 长时燃油修正 | 长期燃油修正 | 长期修正 | 长期燃调",
    ),
    Role.CLOSED_LOOP: (
        "Closed Loop Flag | Closed-Loop Fueling | Feedback Active | "
        "Lambda Control Active | In Closed Loop | Loop Closed | O2 Feedback On | "
        "Closed Loop | Closed Loop Status | CL Active",
        "CL_act | closedLoop | clp | CLstate | B_lr | inCL | cl_flag | "
        "ClosedLoop | CL_status | clloop",
        "Closed-Loop aktiv | Lambda-Regelkreis | Lambdaregelung aktiv | "
        "Regelung aktiv | Lambdaregler ein | Regelkreis zu | Lambdaregelung",
        "Boucle fermée lambda | Mode boucle fermée | Régulation lambda active | "
        "Boucle fermée | BF active",
        "Modo lazo cerrado | Bucle cerrado activo | Lazo cerrado | Regulación lambda activa",
        "Modo anello chiuso | Closed loop attivo | Anello chiuso | Regolazione lambda attiva",
        "Modo malha fechada | Closed loop ativo | Malha fechada | Regulação lambda ativa",
        "Tryb pętli zamkniętej | Closed loop aktywny | Pętla zamknięta | "
        "Regulacja lambda aktywna | Pętla zamkn.",
        "Режим замкнутого контура | Замкнутая петля | "
        "Замкнутый контур | Лямбда-регулирование активно | "
        "Замкн. контур",
        "閉ループ状態 | クローズドループ制御 | クローズドループ | フィードバック中",
        "闭环模式 | 闭环激活 | 闭环 | 闭环控制中 | 闭环状态",
    ),
    Role.PULSE_WIDTH: (
        "Injector PW | Inj Pulse Width | Pulse Duration | Fuel Injector Pulse | "
        "Injector Opening Time | Injection Pulse | Injector On Time | "
        "Fuel Pulse Width | Inj. Duration | Injector 1 Pulse Width | "
        "Inj. Pulse Width | Injector Pulsewidth | Injection Time | Inj. Open Time",
        "InjPW | inj_time | PulseW | injector_ms | ti | tinj | IPW | ti_b1 | "
        "InjDur | pw1 | InjTime | tInj | PulseWidth | inj_pw",
        "Öffnungszeit Einspritzventil | Einspritzimpuls | Ventilöffnungszeit | "
        "Einspritzzeit | Einspritzdauer | Einspr.-Zeit | ti Einspritzung | "
        "Einspr.zeit",
        "Largeur d'impulsion injecteur | Durée injecteur | Temps d'injection | "
        "Durée injection | Ti injection | Temps inj. | Durée inj.",
        "Pulso de inyector | Tiempo inyector | Tiempo de inyección | "
        "Duración inyección | Ancho de pulso | Tiempo iny. | T. inyección",
        "Impulso iniettore | Tempo iniettore | Tempo iniezione | "
        "Durata iniezione | Tempo di iniezione | Tempo iniez. | T. iniezione",
        "Pulso do injetor | Tempo do injetor | Tempo de injeção | "
        "Duração injeção | Largura de pulso | Tempo inj. | T. injeção",
        "Impuls wtrysku | Czas wtryskiwacza | Czas wtrysku | Długość wtrysku | "
        "Czas otwarcia wtryskiwacza | Czas wtr.",
        "Импульс форсунки | Длит. импульса впрыска | "
        "Время впрыска | Длительность впрыска | "
        "Время открытия форсунки | Время впр. | Длит. впрыска",
        "インジェクタ噴射時間 | インジェクタパルス | 噴射時間 | インジェクタ開弁時間 | "
        "噴射パルス幅 | 噴射パルス",
        "喷油嘴脉宽 | 喷油器开启时间 | 喷油时间 | 喷油脉宽 | 喷射时间",
    ),
    Role.BARO: (
        "Atmospheric Press | Air Pressure Outside | Barometric | "
        "Outside Pressure | Ambient Air Pressure | Baro Sensor | "
        "Barometric Press. | Baro Pressure | Barom. Pressure | Ambient Press.",
        "baroP | Patm | amb_p | pu | Pbaro | pEnv | atmP | BaroP | pBaro | P_amb",
        "Barometerdruck | Druck Umgebung | Luftdruck | Umgebungsdr. | Außendruck | "
        "Atmosphärendruck | Umgebungsdruck | Luftdr.",
        "Pression baro | Pression extérieure | Pression atmo | "
        "Pression ambiante | Pression barométrique | Press. atmo. | Pression baro.",
        "Presión barométrica exterior | Presión ambiental | "
        "Presión atmosférica | Presión barom. | Pres. atmosf. | Presión baro",
        "Pressione barometro | Pressione esterna | Pressione atmosferica | "
        "Pressione ambiente | Press. atmosf. | Pressione baro",
        "Pressão barométrica externa | Pressão ambiental | Pressão atmosférica | "
        "Pressão barom. | Pres. atmosf. | Pressão baro",
        "Ciśnienie baro | Ciśnienie zewnętrzne | Ciśnienie atmosferyczne | "
        "Ciśnienie otoczenia | Ciśn. atm. | Ciśn. otoczenia",
        "Барометр | Внешнее давление | Атмосферное давление | Давление окружающее | Атм. давление",
        "外気圧力 | バロメータ | 大気圧 | 外気圧 | 大気圧力",
        "气压计 | 外界大气压 | 大气压 | 大气压力 | 环境压力",
    ),
    Role.SPEED: (
        "Vehicle Road Speed | Speed of Vehicle | Wheel-based Vehicle Speed | "
        "Vehicle Velocity | Car Speed | Wheel Speed Avg | VSS Speed | "
        "Vehicle Speed | Veh. Speed",
        "VehSpeed | car_speed | kph | vfzg | veh_v | VSS | v_car | vVeh",
        "Fzg-Geschwindigkeit | Geschwindigkeit Fahrzeug | Geschw. | "
        "Fahrgeschwindigkeit | Fahrzeuggeschw. | Geschwindigkeit",
        "Vitesse de roulage | Vitesse du véhicule | Vitesse véhic. | "
        "Vitesse voiture | Vitesse véh.",
        "Velocidad de marcha | Velocidad vehículo | Velocidad coche | "
        "Velocidad del vehículo | Vel. vehículo",
        "Velocità auto | Velocità del veicolo | Velocità vettura | Velocità veicolo | Vel. veicolo",
        "Velocidade carro | Velocidade do veículo | Velocidade veículo | "
        "Velocidade do carro | Vel. veículo",
        "Prędkość samochodu | Szybkość pojazdu | Prędkość pojazdu | Prędkość auta | Prędk. pojazdu",
        "Скорость ТС | Скорость машины | Скорость автомобиля | Скорость | Скор. авто",
        "走行速度 | 車速センサ | 車速 | 車両速度",
        "行驶速度 | 汽车速度 | 车速 | 车辆速度",
    ),
    Role.SPARK: (
        "Ignition Timing Advance | Spark Timing | Ign Advance Angle | "
        "Spark Advance Angle | Ignition Angle | Total Timing | Spark Angle BTDC | "
        "Ign. Timing | Spark Adv.",
        "ign_adv | SparkAdv | timing | zw | IgnAng | adv_deg | spk_adv | IgnTiming | SparkAng",
        "Zündung Vorverstellung | Zündwinkel Ist | Zündwinkel | Zündzeitpunkt | "
        "Zündw. | Zündzeitp.",
        "Angle d'avance | Avance d'allumage | Avance allumage | Point d'allumage | Avance all.",
        "Avance de chispa | Ángulo de avance | Avance encendido | "
        "Ángulo de encendido | Avance enc.",
        "Anticipo di scintilla | Angolo anticipo | Anticipo accensione | Anticipo | Anticipo acc.",
        "Avanço da ignição | Ângulo de avanço | Avanço ignição | Ponto de ignição | Avanço ign.",
        "Kąt wyprzedzenia | Wyprzedzenie | Kąt zapłonu | Wyprzedzenie zapłonu | Kąt wyprz. zapł.",
        "УОЗ текущий | Опережение | Угол опережения зажигания | УОЗ",
        "進角値 | 点火進角値 | 点火時期 | 点火角",
        "点火提前 | 点火时刻 | 点火提前角 | 点火角",
    ),
    Role.FUEL_DP: (
        "Fuel Rail Delta Pressure | Fuel Pressure Across Injector | "
        "Fuel Differential Pressure | Injector Differential Pressure | "
        "Delta Fuel Pressure | Fuel Press. Differential | "
        "Pressure Across Injectors | Fuel Diff. Pressure | Fuel Press. Delta",
        "FuelDP | dp_fuel | fuel_delta_p | dpFuel | dP_inj | FPdiff | "
        "delta_p_rail | FuelDiffP | dPfuel",
        "Differenzdruck Rail | Kraftstoffdruckdifferenz | "
        "Differenzdruck Kraftstoff | Kraftstoff-Differenzdruck | Delta p Rail | "
        "Kraftstoffdifferenzdruck | Diff.-Druck Kraftst.",
        "Différence de pression carburant | Delta pression carburant | "
        "Pression différentielle carburant | Delta P rampe | "
        "Press. diff. carburant",
        "Diferencia presión combustible | Presión combustible diferencial | "
        "Presión diferencial combustible | Delta presión riel | "
        "Pres. dif. combustible",
        "Delta pressione carburante | Pressione carburante differenziale | "
        "Pressione differenziale carburante | Delta P rail | "
        "Press. diff. carburante",
        "Diferença de pressão combustível | Delta pressão combustível | "
        "Pressão diferencial combustível | Delta P rail | Pres. dif. combustível",
        "Delta ciśnienia paliwa | Różnica ciśnień paliwa | "
        "Ciśnienie różnicowe paliwa | Delta P listwy | Ciśn. różn. paliwa",
        "Разность давлений топлива | Дельта давления топлива | "
        "Дифференциальное давление топлива | "
        "Перепад давления топлива | Перепад давл. топлива",
        "燃料デルタ圧 | 燃圧差 | 燃料差圧 | 燃圧差圧",
        "燃油压力差值 | 油轨压差 | 燃油压差 | 喷油器压差",
    ),
    Role.MAF_HZ: (
        "MAF Sensor Freq | Airflow Sensor Frequency | Mass Airflow Hz | "
        "Air Meter Frequency | MAF Frequency | Mass Air Sensor Freq. | "
        "Airflow Meter Hz | MAF Freq. | Air Mass Freq.",
        "mafHz | MAF_f | maf_frequency | MAFfreq | f_maf | MAF_Hz | afm_hz | maf_hz",
        "LMM-Frequenz | Luftmasse Frequenz | Luftmassenmesser Frequenz | "
        "LMM Frequenz | HFM-Frequenz | LMM Freq. | MAF-Frequenz",
        "Fréquence MAF | Fréquence capteur débit air | Fréquence débitmètre | "
        "Fréq. débitmètre | Fréq. MAF",
        "Frecuencia sensor MAF | Frecuencia masa de aire | "
        "Frecuencia caudalímetro | Frecuencia MAF | Frec. MAF",
        "Frequenza MAF | Frequenza sensore aria | Frequenza debimetro | Freq. MAF",
        "Frequência sensor MAF | Frequência massa de ar | Frequência do MAF | "
        "Frequência debitómetro | Freq. MAF",
        "Częstotliwość czujnika MAF | Częstotliwość masy powietrza | "
        "Częstotliwość przepływomierza | Częst. MAF",
        "Частота MAF | Частота датчика МРВ | Частота ДМРВ | Частота расходомера",
        "エアマス周波数 | MAF周波数 | エアフロ周波数 | エアフロメータ周波数",
        "空气流量频率 | 质量流量计频率 | 空气流量计频率 | MAF频率",
    ),
}
"""By channel, eleven texts each; alternatives with a bar between (general vocabulary, no source)."""
