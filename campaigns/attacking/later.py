"""Names put down later, when those of ``vocabulary`` had been looked at; in the same order of languages."""

from __future__ import annotations

from lean_trim.core.data.channels import Role

LATER: dict[Role | str, tuple[str, ...]] = {
    "time": (
        "Recording Time | Time Since Start | Sample Time | Logging Time | Offset Time | "
        "Time Into Run | Test Time | Elapsed | Timestamp | Record Time | "
        "Time (elapsed) | Run Time | Sampling Time | Timestamp (s) | Log Time | "
        "Elapsed (s) | Drive Time | Clock | Rec. time",
        "log_t | tm | sec | T_s | tlog | elapsed | tRel | time | t_log | Tm | Time | "
        "t0 | secs | time_sec | T[s] | ts | tsec | elapsedT | Zeit_s",
        "Aufzeichnungszeit | Zeit seit Start | Messdauer | Protokollzeit | "
        "Zeit ab Beginn | Aufnahmezeit | Zeitstempel | Zeit | Uhr | Zeit (s) | Dauer | "
        "Messzeit | Laufzeit | Zeitpunkt | Fahrzeit | Sekunde",
        "Temps d'enregistrement | Temps depuis le début | Chrono | Heure relative | "
        "Durée écoulée | Temps | Temps log | Durée | Temps de mesure | Temps écoulé | "
        "Horodatage | Temps d'acquisition",
        "Tiempo de registro | Tiempo desde inicio | Tiempo de grabación | Segundos | "
        "Tiempo | Hora | Tiempo medido | Tiempo transcurrido | Instante | Cronómetro",
        "Tempo di registrazione | Tempo dall'inizio | Tempo di log | Secondi | Tempo | "
        "Ora | Tempo misura | Tempo trascorso | Istante | Cronometro",
        "Tempo de gravação | Tempo desde o início | Tempo do registo | Segundos | "
        "Tempo | Hora | Tempo medido | Tempo decorrido | Instante | Tempo de registro | "
        "Cronômetro",
        "Czas rejestracji | Upływ czasu | Czas logowania | Sekundy | Czas | "
        "Czas rejestr. | Czas testu | Czas od startu | Znacznik czasu",
        "Время от старта | Длительность | Секунды | Время лога | "
        "Время | Таймер | Время изм. | Время от начала | "
        "Метка времени | Время записи | Секунда",
        "記録時間 | 経過秒 | 記録開始からの時間 | 秒 | 時刻 | タイム | 計測時刻 | "
        "時間 | 経過時間 | タイムスタンプ",
        "采样时间 | 运行时间 | 秒 | 日志时间 | 时间 | 采样时刻 | 测量时间 | 经过时间 | "
        "时间戳 | 记录时间",
    ),
    Role.RPM: (
        "Motor RPM | Engine Rev Count | Crank RPM | Engine Rotational Speed | "
        "Engine Rotation Rate | Revs Per Minute | Shaft Speed (Engine) | "
        "Rotational Speed | Engine Tach | Eng. Speed | Engine RPM (crank) | "
        "RPM - Engine | Engine revs/min | Engine Speed (RPM) | Engine rpm actual | "
        "Motor Speed | Crankshaft RPM | Revolutions per minute | Engine revs per min | "
        "Engine Revolutions | Shaft Speed (Crank) | Tachometer | Measured Engine Speed",
        "RPM_Eng | motor_rpm | ESpeed | EngineRev | nmot | Ne | EngSpd | rev_min | "
        "n_crk | Eng_RPM | EngineSpd | nEngine | RPMeng | RPM_act | EngSpeed | eng_rev | "
        "N_mot | nEng | ENGSPD | rpm_1 | Epm_nEng | w_eng | Nmoteur | RpmEng | eng_n",
        "Umdrehungen pro Minute | Drehzahl Kurbelwelle | Motorumdrehungen | Drehz. | "
        "Motordreh. | Kurbelwellen-Drehzahl | U/min Motor | Motordrehzahl Ist | "
        "Drehzahl Mot. | n Motor | Motordrehz. (Ist) | Drehzahl aktuell | "
        "Kurbelwelle Drehz. | Motordrehzahl gefiltert | n (Kurbelwelle) | "
        "Drehzahl der Kurbelwelle | Motor-Umdrehungen | Drehzahl (1/min)",
        "Vitesse moteur | Tours/min | Compte-tours | Vitesse vilebrequin | Rég. moteur | "
        "Régime mot. | Vit. rotation moteur | Régime de moteur | Vitesse du moteur | "
        "Régime vilebrequin | Tr/min moteur | Vitesse de rotation moteur | Tours moteur",
        "Vueltas del motor | Rotación del motor | RPM | Velocidad de giro del motor | "
        "Régimen | Rev. motor | RPM motor | Rég. de giro | Vel. motor | "
        "Revoluciones motor | Giros motor | Régimen de giro | RPM de motor | "
        "Velocidad del cigüeñal | Vueltas motor",
        "Numero giri motore | Velocità motore | RPM motore | Velocità albero motore | "
        "Reg. motore | Regime mot. | Giri mot. | Giri al minuto | "
        "Regime di giri motore | Giri/min | Giri del motore",
        "Velocidade de rotação | Rotação motor | Rpm | Velocidade do motor | "
        "Rot. do motor | RPM motor | Regime mot. | Rotações | Rotação do motor | "
        "Regime do motor | RPM do motor | Velocidade do virabrequim | Giro do motor",
        "Liczba obrotów | Prędkość silnika | RPM silnika | Prędkość wału | "
        "Obr. silnika | Prędk. obr. | Obroty wału | Obroty na minutę | "
        "Prędkość obr. wału korbowego | Obroty (silnik)",
        "Число оборотов | Обороты коленчатого вала | "
        "Скорость двигателя | Частота оборотов двигателя | "
        "Об. двиг. | Обороты двиг. | Част. вращ. | Обороты вала | "
        "Обороты мотора | Число оборотов двигателя | "
        "Об. двигателя | Скорость вращения двигателя | "
        "Частота вращения вала",
        "エンジン速度 | 機関速度 | エンジン回転計 | 回転速度 エンジン | エンジン回転数 | "
        "回転数(rpm) | エンジン回転速度 | クランク回転数 | エンジン回転 | 機関回転数 | "
        "エンジンスピード | 毎分回転数",
        "引擎转数 | 马达转速 | 发动机转数 | 曲轴速度 | 发动机转速 | 引擎转速 | "
        "发动机每分钟转数 | 转速值 | 曲轴转速 | 转速(发动机) | 每分钟转数",
    ),
    Role.MAP: (
        "Manifold Absolute Pressure | Boost Pressure Absolute | "
        "Charge Pressure Absolute | Intake Vacuum/Pressure | Inlet Plenum Pressure | "
        "Air Box Pressure (Abs) | Manifold Press. | Absolute Manifold Pressure | "
        "Induction Pressure | Manif. Pressure | Intake Man. Pressure | MAP Sensor | "
        "Manifold Abs. Press | Manifold Air Press. | Intake Manifold Abs Pressure | "
        "Abs. Intake Pressure | MAP Value | Inlet Pressure (absolute) | "
        "Boost/Vacuum Abs. | Plenum Pressure | Intake Vacuum/Boost (abs) | "
        "Pressure in Manifold | Manifold Abs. | Intake Manifold Pressure Sensor",
        "MAPabs | IMAP | man_abs_p | intake_p | pim | ManP | MAP_kPa | pInt | psr | "
        "pManifold | MAPsens | P_manif | IntManP | MAP_abs | manPres | P_intake | "
        "IMP_abs | pMan | MANIPRESS | Ps_abs | pIntk | pr_man | mapkpa | P_MANIF | "
        "inMapAbs",
        "Krümmerdruck | Absolutdruck Saugrohr | Saugrohr-Absolutdruck | Saugrohrdr. | "
        "Druck im Saugrohr | Ladedruck absolut | Ansaugkrümmerdruck | "
        "Saugrohrdruck abs. | Ansaugdr. | Druck Ansaugrohr | Saugrohrdruck (abs) | "
        "Ansaugrohrdr. | Saugrohr Druck Ist | Ansaugdruck absolut",
        "Pression d'admission absolue | PAM | Pression dans le collecteur | "
        "Pression d'air collecteur | P. admission | Pression absolue collecteur | "
        "Press. collecteur | Pression adm. | Pression tubulure | "
        "Pression abs. admission | Pression au collecteur | Pression absolue tubulure | "
        "Dépression/pression collecteur abs",
        "Presión absoluta de admisión | Presión colector | Presión múltiple admisión | "
        "Pres. admisión | Presión absoluta del múltiple | Presión MAP | "
        "Pres. colector | Presión abs. admisión | Presión de colector | "
        "Presión de admisión MAP | Presión en el colector de admisión | "
        "Presión abs. colector",
        "Pressione assoluta aspirazione | Pressione nel collettore | Press. collettore | "
        "Pressione assoluta di aspirazione | Press. aspiraz. | Pressione MAP | "
        "Pressione abs. collettore | Pressione di aspirazione | "
        "Pressione aspirazione assoluta | Press. collettore aspiraz.",
        "Pressão absoluta de admissão | Pressão no coletor | "
        "Pressão absoluta no coletor | Pressão MAP | Pressão coletor | "
        "Pres. admissão | Pressão abs. coletor | Pressão de coletor | "
        "Pressão absoluta na admissão | Pressão do coletor MAP | "
        "Pressão no coletor de admissão | Pressão abs. admissão",
        "Ciśnienie kolektora dolotowego | Podciśnienie kolektora abs. | "
        "Ciśnienie w kolektorze | Ciśnienie absolutne w dolocie | Ciśn. dolotu | "
        "Ciśnienie MAP | Ciśn. w kolektorze | Ciśnienie ssania | "
        "Ciśnienie bezwzględne w kolektorze | Ciśnienie dolotu | "
        "Ciśnienie absolutne dolotu | Podciśnienie/ciśnienie w kolektorze",
        "Давление в коллекторе | Давление наддува абсолютное | "
        "Давление во впускном коллекторе | Абс. давление впуска | "
        "Давл. впуска | Давление MAP | Давление коллектора | "
        "Абсол. давление | Абсолютное давление во впуске | "
        "Давление наддува абс. | Абс. давл. коллектора",
        "インテークマニホールド圧 | 吸入管圧力 | 吸気マニホールド絶対圧 | 過給圧 絶対 | "
        "インマニ圧力 | 吸気管圧力 | 吸気圧センサ | インマニ絶対圧 | マニホールド圧(絶対) | "
        "絶対吸気圧",
        "进气歧管压力 | 歧管绝对压力 | 进气管绝对压力 | 歧管压力 | 歧管绝压 | "
        "进气绝对压力 | 进气压力值 | 进气管压力 | 歧管压力(绝对)",
    ),
    Role.THROTTLE: (
        "Throttle Valve | Throttle Pos | Throttle Blade Angle | Throttle Body Opening | "
        "Butterfly Position | Throttle Actual | ETB Position | Throttle Pos. | "
        "Throttle Opening Angle | TPS Main | Throttle Plate Position | Throttle % | "
        "Actual Throttle | Throttle Blade Pos. | TP Sensor | "
        "Throttle Position Sensor 1 | Butterfly Angle | Throttle Actual %",
        "TPS1 | thr_pct | throttle1 | thrPct | alpha_thr | TPSact | tps_pos | TPSmain | "
        "ThrottlePos | throt_pos | ThrAngle | TPS_pct | thrPos | Throttle1 | ThrOpen | "
        "rThr | THROTPOS | TP_act | thr_deg | tp_pct | alphaThr | ThrottlePos1 | papillon",
        "Drosselklappenposition | Drosselwinkel | Drosselklappe Ist | "
        "Drosselkl.-Stellung | Drosselklappe % | DK-Winkel | Drosselstellung | "
        "Drosselkl. Pos. | Drosselklappenwinkel | Drosselkl.winkel | "
        "Drosselklappenöffnung | Drosselklappenwinkel Ist",
        "Papillon des gaz | Ouverture des gaz | Position du papillon | "
        "Angle du papillon | Pos. papillon | Papillon (%) | Ouverture pap. gaz | "
        "Papillon motorisé | Position papillon | Ouverture du papillon | "
        "Angle papillon | Position boîtier papillon",
        "Válvula de mariposa | Apertura del cuerpo de aceleración | "
        "Posición de la mariposa | Posición acelerador mariposa | Pos. mariposa | "
        "Mariposa TPS | Posición de mariposa | Apertura mariposa | Ángulo de mariposa | "
        "Posición acelerador | Apertura de la mariposa",
        "Corpo farfallato | Posizione valvola farfalla | Posizione farfalla | "
        "Farfalla motorizzata | Pos. farfalla | TPS farfalla | Apertura della farfalla | "
        "Posizione della farfalla | Angolo farfalla | Posizione valvola a farfalla | "
        "Apertura valvola farfalla | Posizione corpo farfallato",
        "Corpo de borboleta | Posição borboleta | Posição da borboleta | "
        "Borboleta TPS | Pos. borboleta | TPS borboleta | Abertura borboleta | "
        "Posição de borboleta | Ângulo da borboleta | Posição TPS | "
        "Abertura da borboleta",
        "Uchylenie przepustnicy | Pozycja przepustnicy | Położenie przepust. | "
        "Stopień otwarcia przepustnicy | Poz. przepustnicy | TPS | Otwarcie przep. | "
        "Pozycja przepust. | Kąt otwarcia przepustnicy | Otwarcie przepustnicy (%)",
        "Положение ДЗ | Дроссельная заслонка | "
        "Угол открытия дросселя | Положение дросселя | "
        "Дроссель полож. | Полож. дросс. заслонки | "
        "Открытие др. заслонки | Положение заслонки | "
        "Угол дроссельной заслонки | Открытие дросселя | "
        "Положение дроссельной заслонки",
        "スロットルバルブ開度 | スロットル角度 | スロットル弁開度 | スロットルポジション | "
        "スロットル開度 | TPS開度 | スロットル弁位置 | スロットル開 | スロットル位置",
        "节气门角度 | 节气门阀位置 | 油门阀开度 | 节流阀开度 | 节气门开度 | TPS | "
        "节气门实际开度 | 节气门角 | 油门开度 | 节气门位置 | 节气门开启度",
    ),
    Role.IAT: (
        "Intake Charge Temp | Air Inlet Temp | Temperature of Intake Air | "
        "Induction Air Temp | Air Temperature (Inlet) | Temp Intake | "
        "Post-Filter Air Temp | Intake Air Temp. | Charge Temp | "
        "Air Intake Temperature | Inlet Temp. | Temp. Intake Air | Air Temp. Manifold | "
        "Inlet Air Temp. Sensor | Charge Temp. | Air Charge Temperature | Airbox Temp | "
        "Inlet Charge Temperature | Temperature, Intake | Air Inlet Temp (post IC) | "
        "Suction Air Temp",
        "iat_c | AirT | Tair | tInt | Tia | tAirIn | IntakeT | ChargeT | IATsens | "
        "AirTemp | T_intake | tIAT | IntAirTemp | IAT_C | tManifold | T_inlet | "
        "ACT_degC | MAT | tIntk | tchg | AirTempIn | temp_adm | TempIAT",
        "Temperatur Ansaugluft | Ladelufttemperatur | Lufttemp. Saugrohr | Lufttemp. | "
        "Ansauglufttemp. | Temperatur Luft Einlass | Ansauglufttemp | T Luft | "
        "Luft-Temp. Ansaugung | Temp. Ansaugluft | Ansaugluft-Temp. | "
        "Lufttemperatur Saugrohr | Ladelufttemp. | Temperatur der Ansaugluft | LLT | "
        "Ladelufttemperatur n. LLK",
        "Température de l'air aspiré | T° air | Temp. admission | "
        "Température air collecteur | Temp. air adm. | Temp. air | "
        "Temp. d'air admission | Temp. d'admission | Température air entrant | "
        "Temp. air collecteur | Température de l'air d'admission | T° admission",
        "Temperatura aire entrada | Temp. del aire de admisión | Temp. admisión | "
        "Temperatura aire colector | Temp. aire adm. | T. aire | "
        "Temp. aire de admisión | Temp. entrada aire | Temperatura de admisión | "
        "Temp. del aire | Temperatura aire admisión | Temperatura de entrada",
        "Temperatura aria ingresso | Temp. aria | Temp. aspirazione | "
        "Temperatura aria collettore | Temp. aria asp. | T. aria | "
        "Temp. aria d'aspirazione | Temp. ingresso aria | Temperatura aria in ingresso | "
        "Temp. aria collettore | Temperatura aspirazione | Temp. aria aspirata",
        "Temperatura do ar admitido | Temp. do ar | Temp. admissão | "
        "Temperatura ar coletor | Temp. ar adm. | T. ar | Temp. ar de admissão | "
        "Temp. entrada ar | Temperatura de entrada de ar",
        "Temp. powietrza zasysanego | Temperatura zasysanego powietrza | "
        "Temp. powietrza | Temp. dolotu | Temp. pow. dolot. | Temp. pow. | "
        "Temp. pow. w dolocie | Temp. powietrza dol. | Temp. powietrza doładowującego | "
        "Temperatura dolotu | Temp. zasysanego powietrza",
        "Темп. впускного воздуха | Температура на впуске | "
        "Температура впускного воздуха | Темп. воздуха | "
        "Темп. воздуха впуск | Т воздуха | Темп. воздуха на впуске | "
        "Темп. вп. воздуха | Температура всасываемого воздуха | "
        "Темп. воздуха коллектора | Т воздуха впуск",
        "吸気温センサ | 吸入気温 | 吸気温 | 吸入空気温 | 吸気温度 | インテーク温度 | "
        "吸気温度センサ | 吸入空気温度",
        "进气歧管温度 | 吸入空气温度 | 进气温度 | 吸气温度 | 进气温 | 进气空气温度 | "
        "进气温度值 | 进气温度传感器 | 进气温度(℃)",
    ),
    Role.COOLANT: (
        "Radiator Water Temp | Coolant Temperature Sensor | Engine Block Temp | "
        "Jacket Water Temp | Water Temp | Cylinder Head Coolant Temp | Engine Temp | "
        "ECT Sensor | Cooling Water Temperature | Coolant Temp. | Eng. Coolant Temp | "
        "Water Temperature | ECT | Temp. Coolant | Engine Water Temp | "
        "Coolant Sensor Temp | Engine Coolant T. | CLT Sensor | Engine Temp (coolant) | "
        "Temp. of Coolant | Coolant Out Temp",
        "clt_c | ECTemp | WaterT | twater | tmot | Tcool | EngT | WTemp | tw | "
        "CoolantT | T_cool | ClntTemp | tECT | CoolTemp | ECT_C | tWater | EngCoolT | "
        "tCool | WTEMP | CLT_C | tEngWat | tclt | EngTempW | temp_eau | TempECT",
        "Temperatur Kühlmittel | Kühlmitteltemp. | Motorwassertemperatur | "
        "Wassertemp. | Motortemp. | Kühlwassertemperatur | Kühlmitteltemp | "
        "Wassertemperatur | T Wasser | Temp. Kühlmittel | Kühlwasser | "
        "Motortemperatur (Wasser) | Kühlmitteltemp. Motor | KMT | Motortemperatur | "
        "Temperatur Kühlwasser",
        "T° eau | Température du liquide de refroidissement | Température eau moteur | "
        "Temp. liquide | Temp. moteur | Temp. liq. refr. | Temp. eau | "
        "Temp. du liquide | Temp. de refroidissement | Température d'eau | "
        "Temp. liquide refroid. | Température liquide de refroidissement | T° eau moteur",
        "Temp. agua | Temperatura líquido refrigerante | Temp. motor | "
        "Temperatura del agua | Temp. refrigerante | Temp. refrig. | T. agua | "
        "Temp. de refrigerante | Temp. agua motor | Temp. anticongelante | "
        "Temperatura refrigerante | Temperatura motor (agua)",
        "Temp. acqua motore | Temp. liquido | Temp. motore | Temperatura acqua | "
        "Temp. refrigerante | Temp. acqua | T. liquido raffr. | Temp. del liquido | "
        "Temp. refrigerante motore | Temperatura liquido refrigerante",
        "Temp. da água | Temperatura do arrefecimento | Temp. motor | "
        "Temperatura da água | Temp. arrefecimento | Temp. água | T. liq. arref. | "
        "Temp. do líquido | Temp. água motor | Temperatura do motor | "
        "Temp. do líquido de arref.",
        "Temp. silnika | Temperatura chłodziwa | Temp. cieczy | "
        "Temperatura płynu chłodzącego | Temp. płynu | Temp. wody | "
        "Temp. płynu chł. | Temp. chłodziwa | Temperatura wody | "
        "Temp. cieczy silnika | Temperatura silnika | Temp. płynu chłodzącego",
        "Темп. ОЖ | Температура охл. жидкости | Темп. двигателя | "
        "Температура антифриза | Темп. охл. | Т охл. жидк. | "
        "Темп. ОЖ двиг. | Температура ОЖ | Температура воды | "
        "Темп. антифриза | Температура двигателя | "
        "Т охлаждающей жидкости",
        "クーラント温度 | 水温センサ | 水温 | 冷却水温 | エンジン水温 | エンジン冷却水温 | "
        "水温センサ値 | 冷却液温度",
        "水箱温度 | 冷却水温度 | 水温 | 发动机水温 | 冷却液温度 | 冷却液温 | "
        "发动机冷却液温度 | 冷却水温 | 发动机温度(水)",
    ),
    Role.BATTERY: (
        "Batt Voltage | Ignition Voltage | Electrical System Voltage | Volts | "
        "ECU Supply Voltage | Power Supply | Vehicle Voltage | Charging Voltage | "
        "Main Relay Voltage | Batt. Voltage | Battery V | System Volts | "
        "Battery Volts (ECU) | ECU Voltage | Electrical Voltage | Supply Volts | "
        "Control Module Voltage | Ignition Switched Voltage | System Volt. | "
        "Battery Potential | 12V Rail | Ubat",
        "BattV | bat_volt | Ub | sys_v | VBat | ubat | Vsup | BatU | KL30 | Vbatt | "
        "BattVolt | U_bat | batV | VBatt_ECU | Volt_bat | BatteryV | Usys | uBat | "
        "BATVOLT | PSU_V | KL15_V | vsup | Battery_V | U_bord | V12",
        "Spannung Batterie | Bordnetz Spannung | Klemme 15 Spannung | Batteriespg. | "
        "Versorgungsspannung | U Batterie | Spannung KL30 | Batt.-Spannung | "
        "Bordspannung | U Batt | Batteriespannung ECU | Spg. Batterie | "
        "Spannung Bordnetz | Klemme 15 | Akkuspannung",
        "Tension de bord | Tension de la batterie | Tension alim | Tension batt. | "
        "Tension d'alimentation | U batterie | Tension calculateur | Volt batterie | "
        "Tension bat.",
        "Voltaje del sistema | Tensión batería | Voltaje batería | "
        "Tensión alimentación | Volt. bat. | Tensión bat. | Volt. batería | "
        "Voltaje ECU | Tensión de la batería | Tensión de alimentación | "
        "Voltaje de batería | Tensión de batería",
        "Tensione di bordo | Volt batteria | Tensione batt. | Tensione alimentazione | "
        "Tens. batteria | V batteria | Tensione centralina | Voltaggio batteria | "
        "Tensione di alimentazione | Tensione impianto | Tensione bat.",
        "Voltagem do sistema | Tensão bateria | Tensão alimentação | Tensão da bat. | "
        "Tensão bat. | Volt. bateria | Tensão ECU | Voltagem bateria | "
        "Tensão da bateria | Tensão de alimentação",
        "Napięcie baterii | Napięcie pokładowe | Napięcie akum. | "
        "Napięcie zasilania | Nap. akumulatora | Napięcie | Napięcie ECU | "
        "Napięcie bat. | Napięcie w instalacji",
        "Напряжение батареи | Напряжение борт. сети | "
        "Напряжение питания | Напр. АКБ | U борт. сети | "
        "Напряжение ЭБУ | Напряж. батареи | Напряжение бортсети | "
        "Бортовое напряжение | Напряжение АКБ",
        "バッテリ電源 | 電圧バッテリ | 電源電圧 | バッテリー電圧 | バッテリ電圧 | "
        "ECU電圧 | バッテリ電圧値 | システム電圧",
        "蓄电池电压 | 系统电压 | 供电电压 | 电瓶电压 | ECU电压 | 电池电压",
    ),
    Role.LAMBDA: (
        "Air/Fuel Lambda | Lambda (Wideband) | Lambda Reading | Broadband Lambda | "
        "Lambda Measured | Exhaust Lambda | Lambda Sensor Value | Mixture Lambda | "
        "Lambda Bank 1 Actual | Wideband O2 Lambda | Lambda Actual | Meas. Lambda | "
        "WB Lambda 1 | Lambda (measured) | Lambda Meas. | Actual Lambda Value | "
        "Wideband Lambda 1 | Exhaust Lambda (WB) | Oxygen Sensor Lambda | "
        "O2 Lambda Bank 1 | UEGO Lambda | Air Fuel Equivalence (Lambda) Measured | "
        "AFR Wideband 1 | Lambda (exhaust) | Measured Mixture | WB Sensor Lambda",
        "lam_wb | lambda_act | LamMeas | wbo2_lam | lam1 | LamAct | rlam | lambda_m | "
        "WBlam | lambda1 | lam_actual | WB_lam | LambdaAct | lam_meas | WB1_lambda | "
        "lambdaIs | lamExh | O2LAM | wbo_lam | lamSens1 | AFR_wb | mixMeas",
        "Lambda gem. | Breitbandlambda | Lambda aktuell | Abgaslambda | Lambdawert | "
        "Lambda-Istwert | Lambda Abgas | Gemisch Lambda Ist | Lambda Ist | "
        "Lambda gemessen | Lambda-Ist | Lambda (Ist) | Breitband-Lambda Ist | "
        "Lambda Messwert | Lambdasonde Ist | Gemessenes Lambda | Lambda Bank 1 Istwert | "
        "Lambdawert gemessen",
        "Lambda mesurée | Lambda actuel | Mesure lambda | Lambda réel | "
        "Richesse lambda mesurée | Lambda sonde | Lambda mes. | Lambda mesuré | "
        "Lambda mesuré (LB) | Valeur lambda mesurée | Sonde large bande",
        "Lambda actual | Lectura lambda | Lambda medido | Lambda real | Lambda sonda | "
        "Lambda escape | Lambda medida | Lambda act. | Lambda medido (WB) | "
        "Valor lambda real | Lambda sonda ancha | Lambda de escape | Lambda banda ancha",
        "Lambda attuale | Lettura lambda | Lambda effettiva | Lambda reale | "
        "Lambda sonda | Lambda scarico | Lambda mis. | Lambda misurata | "
        "Lambda misurato | Valore lambda reale | Lambda allo scarico | "
        "Sonda a banda larga",
        "Lambda atual | Leitura lambda | Lambda real | Lambda sonda | Lambda escape | "
        "Lambda med. | Lambda medida | Lambda medido | Valor lambda real | "
        "Lambda da sonda | Sonda banda larga",
        "Lambda aktualna | Odczyt lambda | Lambda rzeczywista | Lambda zmierzona | "
        "Lambda z sondy | Lambda zmierz. | Lambda pomiar | Wart. lambda zmierzona | "
        "Lambda rzecz. | Lambda spalin | Sonda szerokopasmowa",
        "Фактическая лямбда | Лямбда текущая | Лямбда измеренная | "
        "Лямбда факт | Лямбда ШДК | Лямбда измер. | Лямбда тек. | "
        "Изм. лямбда | Лямбда по ШДК | Лямбда с датчика | "
        "Лямбда фактическая | Измеренная лямбда | "
        "Широкополосная лямбда",
        "ラムダ実測値 | 測定ラムダ | ラムダ値 | 実ラムダ | 空燃比λ 実測 | 実測ラムダ | "
        "ラムダ実測 | 測定λ | ラムダ測定値 | 空燃比センサλ | 空燃比(実測) | 広帯域ラムダ",
        "测量λ | 当前λ | 实测λ | 实际λ | 过量空气系数 | 实测lambda | 测得λ | "
        "测量lambda | 实际lambda值 | 氧传感器lambda | 实测空燃比 | 宽带lambda",
    ),
    Role.TARGET: (
        "Lambda Goal | Wanted Lambda | Lambda Reference | Lambda Aim | Demanded Lambda | "
        "Lambda Request | Lambda Setpoint | Commanded Lambda | Lambda Desired Value | "
        "Lambda Target | Target Lambda | Lambda Des. | Req. Lambda | Lambda Setp. | "
        "Wanted Lambda Value | Desired Lambda (Table) | Lambda Commanded | "
        "Lambda Command Value | Target Equivalence Lambda | Requested Lambda Final | "
        "AFR Target | Lambda Demand | Mixture Setpoint | Wanted AFR",
        "lam_target | LamCmd | lambda_ref | lam_goal | lamSP | LamDes | lam_dem | "
        "lamTgt | lambda_soll | lambda_tgt | LamReq | lam_setp | LambdaTrg | LambdaDes | "
        "lam_soll | TargetLam | lambdaSet | lamReq | LAMTGT | lam_cmd_tbl | lamNom | "
        "lam1T | AFR_tgt | lambda_req | mixTarg",
        "Lambda Ziel | Lambda-Sollwert | Soll-Lambda | Lambda Führungsgröße | "
        "Lambda Soll | Solllambda | Lambda-Vorgabe | Zielwert Lambda | Lambda Sollwert | "
        "Lambda (Soll) | Lambda Zielwert | Sollwert Lambda | Solllambda gesamt | "
        "Gewünschtes Lambda | Lambdawert Vorgabe | Ziellambda",
        "Lambda consigne | Objectif lambda | Lambda visé | Lambda cible | "
        "Lambda demandé | Cons. lambda | Cible lambda | Lambda de consigne | "
        "Valeur lambda cible | Consigne lambda | Richesse de consigne",
        "Lambda de consigna | Lambda comandada | Objetivo lambda | Lambda objetivo | "
        "Lambda deseada | Lambda pedida | Lambda obj. | Lambda pedido | "
        "Valor lambda deseado | Lambda requerido | Lambda consigna | Lambda solicitada",
        "Lambda comandata | Lambda di riferimento | Lambda obiettivo | "
        "Lambda richiesta | Lambda target | Lambda ob. | Lambda desiderato | "
        "Valore lambda obiettivo | Lambda richiesto | Lambda setpoint | Lambda voluta",
        "Lambda de referência | Lambda solicitada | Lambda alvo | Lambda desejada | "
        "Lambda desej. | Lambda pedido | Valor lambda alvo | Lambda requerido | "
        "Lambda desejado | Lambda pretendida",
        "Lambda żądana | Wartość zadana lambda | Lambda zadana | Lambda docelowa | "
        "Lambda zad. | Lambda cel | Wart. lambda zadana | Lambda docel. | "
        "Lambda zadane | Lambda oczekiwana",
        "Требуемая лямбда | Уставка лямбды | Лямбда заданная | "
        "Целевая лямбда | Желаемая лямбда | Лямбда зад. | "
        "Лямбда цель | Треб. лямбда | Лямбда по таблице зад. | "
        "Заданная лямбда | Уставка лямбда",
        "ラムダ要求値 | 狙いラムダ | 目標ラムダ | 目標λ | 要求ラムダ | ラムダ目標 | "
        "目標λ値 | ラムダ指令値 | 目標空燃比 | 指示ラムダ",
        "设定λ | 需求λ | 目标λ | 期望λ | 给定λ | 目标lambda | 目标lambda值 | "
        "设定lambda | 需求lambda | 目标空燃比 | 期望lambda",
    ),
    Role.STFT: (
        "Short-Term Fuel Correction | STFT Bank 1 | Instant Fuel Trim | Short Trim | "
        "Short Term Trim | Fuel Trim (Short) | Closed Loop Correction | "
        "Short Term Fueling Correction | Short Term Fuel Trim | ST Fuel Trim | "
        "Short Fuel Trim | STFT (%) | Short Trim % | Short-term Correction | "
        "Short Term Fuel Trim Bank 1 | Lambda Integrator | Fast Fuel Trim | "
        "Closed-loop Correction Short | Fuel Trim (short) | Closed Loop Trim | "
        "Instant Trim % | Short FT",
        "ST_FT | stfuel | ShortTrim | FT_ST | STFT1 | stft_b1 | trimST | FTshort | "
        "STFuelTrim | STrim | FuelTrimShort | STFT_pct | ShortTrim1 | FTrimShort | "
        "stft_bank1 | frShort | STRIM | STFT_B1 | fuelTrimST | tr_s | ST_FT1 | cl_trim | "
        "trimShort",
        "Kurzzeit Gemischkorrektur | Kurzzeit-Adaption | STFT Bank 1 | Kurzzeittrim | "
        "Kurzzeit-Gemischtrimm | Kurzfr. Kraftstofftrimm | Kurzzeit-Trimm | "
        "Kurzzeittrimmung | Kurzzeitkorrektur | Kurzz. Trimm | "
        "Kurzzeit-Gemischkorrektur | Lambdaregler kurz | "
        "Kurzfristige Kraftstoffkorrektur | Trimm kurz",
        "Correction richesse CT | Adaptation court terme | Correction court terme | "
        "Trim carb. court | Corr. court terme | Trim CT | Correction CT richesse | "
        "Trim court | Correction richesse rapide | Correction de richesse CT",
        "Corrección combustible corto plazo | Trim corto | Ajuste corto plazo | "
        "Corrección corto plazo | Trim comb. corto | Ajuste C/P | Trim corto plazo | "
        "Corrección CP | Ajuste corto | Corrección a corto plazo | "
        "Ajuste de combustible corto | Ajuste a corto plazo",
        "Correzione carburante breve | Adattamento breve termine | "
        "Correzione breve termine | Trim breve | Trim carb. breve | Corr. breve | "
        "Trim breve t. | Correzione breve | Trim a breve | Correzione a breve termine | "
        "Trim carburante breve",
        "Correção combustível curto prazo | Ajuste de curto prazo | "
        "Ajuste curto prazo | Correção curto prazo | Ajuste CP | Trim curto | "
        "Correção curta | Ajuste curto | Correção de curto prazo | "
        "Ajuste de combustível curto",
        "Korekcja krótkoterminowa | Krótkoterminowe dostrojenie paliwa | "
        "Korekta krótkoterminowa | Trim krótki | Korekta krótkot. | Trim krótkoterm. | "
        "Korekcja krótka | Krótki trim | Krótkoterminowa korekta paliwa | "
        "Korekta STFT | Korekta chwilowa",
        "Мгновенная коррекция топлива | Коррекция топлива кратк. | "
        "Краткосрочная коррекция | Кратковрем. топливокоррекция | "
        "Кратк. коррекция | Коррекция кратк. | Краткая коррекция | "
        "Кратковр. коррекция | Краткосрочная коррекция топлива | "
        "Коррекция краткоср. | Кратковременная коррекция | "
        "Короткая коррекция",
        "燃料補正(短期) | ショートタームトリム | 短期燃料補正 | 短期トリム | "
        "短期燃料トリム | 短期補正 | 短期トリム値 | 短期フューエルトリム | "
        "短期空燃比補正 | 瞬時燃料補正",
        "燃油短期修正 | 短时燃油修正 | 短期燃油修正 | 短期修正 | 短期燃调 | "
        "短期修正值 | 短期燃油调整 | 瞬时燃油修正",
    ),
    Role.LTFT: (
        "Long-Term Fuel Correction | LTFT Bank 1 | Long Trim | Adaptive Fuel Trim | "
        "Long Term Trim | Fuel Trim (Long) | Learned Fuel Correction | "
        "Long Term Fueling Correction | Long Term Fuel Trim | LT Fuel Trim | "
        "Long Fuel Trim | LTFT (%) | Long Trim % | Long-term Correction | "
        "Long Term Fuel Trim Bank 1 | Slow Fuel Trim | Fuel Trim (long) | Learned Trim | "
        "Block Trim % | Long FT",
        "LT_FT | ltfuel | LongTrim | FT_LT | LTFT1 | ltft_b1 | trimLT | FTlong | "
        "LTFuelTrim | LTrim | FuelTrimLong | LTFT_pct | LongTrim1 | FTrimLong | "
        "ltft_bank1 | frLong | LTRIM | LTFT_B1 | fuelTrimLT | tr_l | LT_FT1 | ad_trim | "
        "trimLong",
        "Langzeit Gemischkorrektur | Langzeit-Adaption | LTFT Bank 1 | Langzeittrim | "
        "Langzeit-Gemischtrimm | Langfr. Kraftstofftrimm | Langzeit-Trimm | "
        "Langzeittrimmung | Langzeitkorrektur | Langz. Trimm | "
        "Langzeit-Gemischkorrektur | Gemischadaption | "
        "Langfristige Kraftstoffkorrektur | Trimm lang",
        "Correction richesse LT | Adaptation long terme | Correction long terme | "
        "Trim carb. long | Corr. long terme | Trim LT | Correction LT richesse | "
        "Trim long | Adaptation richesse | Correction de richesse LT",
        "Corrección combustible largo plazo | Trim largo | Ajuste largo plazo | "
        "Corrección largo plazo | Trim comb. largo | Ajuste L/P | Trim largo plazo | "
        "Corrección LP | Ajuste largo | Corrección a largo plazo | "
        "Ajuste de combustible largo | Ajuste a largo plazo",
        "Correzione carburante lungo | Adattamento lungo termine | "
        "Correzione lungo termine | Trim lungo | Trim carb. lungo | Corr. lunga | "
        "Trim lungo t. | Correzione lunga | Trim a lungo | Correzione a lungo termine | "
        "Trim carburante lungo",
        "Correção combustível longo prazo | Ajuste de longo prazo | "
        "Ajuste longo prazo | Correção longo prazo | Ajuste LP | Trim longo | "
        "Correção longa | Ajuste longo | Correção de longo prazo | "
        "Ajuste de combustível longo",
        "Korekcja długoterminowa | Długoterminowe dostrojenie paliwa | "
        "Korekta długoterminowa | Trim długi | Korekta długot. | Trim długoterm. | "
        "Korekcja długa | Długi trim | Długoterminowa korekta paliwa | Korekta LTFT | "
        "Korekta długa",
        "Долговременная коррекция | Коррекция топлива долг. | "
        "Долгосрочная коррекция | Долговрем. топливокоррекция | "
        "Долг. коррекция | Коррекция долг. | Долгая коррекция | "
        "Долговр. коррекция | Долгосрочная коррекция топлива | "
        "Коррекция долгоср. | Длинная коррекция",
        "燃料補正(長期) | ロングタームトリム | 長期燃料補正 | 長期トリム | "
        "長期燃料トリム | 長期補正 | 長期トリム値 | 長期フューエルトリム | 学習補正値 | "
        "学習燃料補正",
        "燃油长期修正 | 长时燃油修正 | 长期燃油修正 | 长期修正 | 长期燃调 | "
        "长期修正值 | 长期燃油调整 | 自学习修正",
    ),
    Role.CLOSED_LOOP: (
        "Closed Loop Flag | Closed-Loop Fueling | Feedback Active | "
        "Lambda Control Active | In Closed Loop | Loop Closed | O2 Feedback On | "
        "Closed Loop | Closed Loop Status | CL Active | Closed Loop On | CL Flag | "
        "Fuel System Closed Loop | CL Status | Lambda Loop Closed",
        "CL_act | closedLoop | clp | CLstate | B_lr | inCL | cl_flag | ClosedLoop | "
        "CL_status | clloop | CL_on | closedLp | stCL | CLOOP | clst | loopCL",
        "Closed-Loop aktiv | Lambda-Regelkreis | Lambdaregelung aktiv | Regelung aktiv | "
        "Lambdaregler ein | Regelkreis zu | Lambdaregelung | Regelung geschlossen | "
        "Regelkreis geschlossen | Lambda-Regelung ein",
        "Boucle fermée lambda | Mode boucle fermée | Régulation lambda active | "
        "Boucle fermée | BF active | Boucle fermée active | Boucle de richesse",
        "Modo lazo cerrado | Bucle cerrado activo | Lazo cerrado | "
        "Regulación lambda activa | Bucle cerrado | Bucle lambda",
        "Modo anello chiuso | Closed loop attivo | Anello chiuso | "
        "Regolazione lambda attiva | Ciclo chiuso | Anello lambda",
        "Modo malha fechada | Closed loop ativo | Malha fechada | "
        "Regulação lambda ativa | Malha fechada ativa | Malha lambda",
        "Tryb pętli zamkniętej | Closed loop aktywny | Pętla zamknięta | "
        "Regulacja lambda aktywna | Pętla zamkn. | Zamknięta pętla | Pętla lambda",
        "Режим замкнутого контура | Замкнутая петля | "
        "Замкнутый контур | Лямбда-регулирование активно | "
        "Замкн. контур | Обратная связь включена | Контур лямбда",
        "閉ループ状態 | クローズドループ制御 | クローズドループ | フィードバック中 | "
        "フィードバック制御中 | 閉ループ",
        "闭环模式 | 闭环激活 | 闭环 | 闭环控制中 | 闭环状态 | 闭环控制",
    ),
    Role.PULSE_WIDTH: (
        "Injector PW | Inj Pulse Width | Pulse Duration | Fuel Injector Pulse | "
        "Injector Opening Time | Injection Pulse | Injector On Time | Fuel Pulse Width | "
        "Inj. Duration | Injector 1 Pulse Width | Inj. Pulse Width | "
        "Injector Pulsewidth | Injection Time | Inj. Open Time | Injector PW (ms) | "
        "Inj Pulsewidth | Fuel Inj. Time | Injector Duration | Injection Time Cyl 1 | "
        "Fuel Pulse | Base+Corr Injector On-time | Injector Pulse Duration | "
        "Fuel Injector On Time (ms) | Effective PW | Injection Duration",
        "InjPW | inj_time | PulseW | injector_ms | ti | tinj | IPW | ti_b1 | InjDur | "
        "pw1 | InjTime | tInj | PulseWidth | inj_pw | InjPulse | injDur_ms | PW_inj | "
        "tInjector | tiInj | INJPW | inj_ontime | tInjCyl1 | tinj_ms | PW1 | ti_eff | "
        "inj_t",
        "Öffnungszeit Einspritzventil | Einspritzimpuls | Ventilöffnungszeit | "
        "Einspritzzeit | Einspritzdauer | Einspr.-Zeit | ti Einspritzung | Einspr.zeit | "
        "Einspritzzeit (ms) | Einspritzimpulsdauer | Einspr.dauer | "
        "Einspritzdauer Zyl. 1 | Einspritzzeit effektiv | Einspritzzeit gesamt",
        "Largeur d'impulsion injecteur | Durée injecteur | Temps d'injection | "
        "Durée injection | Ti injection | Temps inj. | Durée inj. | "
        "Durée d'injection | Temps d'ouverture inj. | Durée d'ouverture injecteur",
        "Pulso de inyector | Tiempo inyector | Tiempo de inyección | "
        "Duración inyección | Ancho de pulso | Tiempo iny. | T. inyección | "
        "Tiempo de iny. | Duración de inyección | Ancho de pulso inyector | "
        "Tiempo apertura inyector",
        "Impulso iniettore | Tempo iniettore | Tempo iniezione | Durata iniezione | "
        "Tempo di iniezione | Tempo iniez. | T. iniezione | Tempo di iniez. | "
        "Durata di iniezione | Durata iniettore | Tempo apertura iniettore",
        "Pulso do injetor | Tempo do injetor | Tempo de injeção | Duração injeção | "
        "Largura de pulso | Tempo inj. | T. injeção | Tempo de inj. | "
        "Duração da injeção | Largura de pulso injetor | Tempo de abertura do injetor",
        "Impuls wtrysku | Czas wtryskiwacza | Czas wtrysku | Długość wtrysku | "
        "Czas otwarcia wtryskiwacza | Czas wtr. | Czas trwania wtrysku | Dł. wtrysku | "
        "Szerokość impulsu wtrysku",
        "Импульс форсунки | Длит. импульса впрыска | "
        "Время впрыска | Длительность впрыска | "
        "Время открытия форсунки | Время впр. | Длит. впрыска | "
        "Время впрыска форс. | Длительность имп.",
        "インジェクタ噴射時間 | インジェクタパルス | 噴射時間 | インジェクタ開弁時間 | "
        "噴射パルス幅 | 噴射パルス | インジェクタ開時間 | 噴射時間幅 | 噴射期間 | "
        "インジェクター通電時間",
        "喷油嘴脉宽 | 喷油器开启时间 | 喷油时间 | 喷油脉宽 | 喷射时间 | 喷油时长 | 喷油脉冲",
    ),
    Role.BARO: (
        "Atmospheric Press | Air Pressure Outside | Barometric | Outside Pressure | "
        "Ambient Air Pressure | Baro Sensor | Barometric Press. | Baro Pressure | "
        "Barom. Pressure | Ambient Press. | Barometric Press | Ambient Pressure Abs. | "
        "Atmospheric Pressure | Barometer Reading | Outside Air Pressure",
        "baroP | Patm | amb_p | pu | Pbaro | pEnv | atmP | BaroP | pBaro | P_amb | "
        "Baro_kPa | ambP | pAmb | BARO_P | p0 | P_baro",
        "Barometerdruck | Druck Umgebung | Luftdruck | Umgebungsdr. | Außendruck | "
        "Atmosphärendruck | Umgebungsdruck | Luftdr. | Umgebungsdruck Ist | "
        "Barom. Druck | Luftdruck außen",
        "Pression baro | Pression extérieure | Pression atmo | Pression ambiante | "
        "Pression barométrique | Press. atmo. | Pression baro. | "
        "Pression atmosphérique | Press. ambiante",
        "Presión barométrica exterior | Presión ambiental | Presión atmosférica | "
        "Presión barom. | Pres. atmosf. | Presión baro | Presión atm. | "
        "Presión ambiente | Presión barométrica | Presión exterior",
        "Pressione barometro | Pressione esterna | Pressione atmosferica | "
        "Pressione ambiente | Press. atmosf. | Pressione baro | Pressione atm. | "
        "Press. ambiente | Pressione barometrica",
        "Pressão barométrica externa | Pressão ambiental | Pressão atmosférica | "
        "Pressão barom. | Pres. atmosf. | Pressão baro | Pressão atm. | "
        "Pressão ambiente | Pressão barométrica | Pressão externa",
        "Ciśnienie baro | Ciśnienie zewnętrzne | Ciśnienie atmosferyczne | "
        "Ciśnienie otoczenia | Ciśn. atm. | Ciśn. otoczenia | Ciśnienie atm. | "
        "Ciśn. barometr.",
        "Барометр | Внешнее давление | Атмосферное давление | "
        "Давление окружающее | Атм. давление | Атмосф. давление | "
        "Давл. окр. среды | Барометрическое давление | "
        "Давление окружающей среды",
        "外気圧力 | バロメータ | 大気圧 | 外気圧 | 大気圧力 | 大気圧センサ | 大気圧値 | 気圧",
        "气压计 | 外界大气压 | 大气压 | 大气压力 | 环境压力 | 大气压值 | 环境大气压 | "
        "气压 | 外界气压",
    ),
    Role.SPEED: (
        "Vehicle Road Speed | Speed of Vehicle | Wheel-based Vehicle Speed | "
        "Vehicle Velocity | Car Speed | Wheel Speed Avg | VSS Speed | Vehicle Speed | "
        "Veh. Speed | Speed (Vehicle) | Road Speed | Ground Speed | VSS | Velocity",
        "VehSpeed | car_speed | kph | vfzg | veh_v | VSS | v_car | vVeh | v_veh | Spd | VEHSPD",
        "Fzg-Geschwindigkeit | Geschwindigkeit Fahrzeug | Geschw. | "
        "Fahrgeschwindigkeit | Fahrzeuggeschw. | Geschwindigkeit | Fahrgeschw. | "
        "Geschw. Fahrzeug | Fahrzeuggeschwindigkeit | Tempo",
        "Vitesse de roulage | Vitesse du véhicule | Vitesse véhic. | Vitesse voiture | "
        "Vitesse véh. | Vitesse | Vitesse véhicule",
        "Velocidad de marcha | Velocidad vehículo | Velocidad coche | "
        "Velocidad del vehículo | Vel. vehículo | Velocidad",
        "Velocità auto | Velocità del veicolo | Velocità vettura | Velocità veicolo | "
        "Vel. veicolo | Velocità",
        "Velocidade carro | Velocidade do veículo | Velocidade veículo | "
        "Velocidade do carro | Vel. veículo | Velocidade",
        "Prędkość samochodu | Szybkość pojazdu | Prędkość pojazdu | Prędkość auta | "
        "Prędk. pojazdu | Prędkość",
        "Скорость ТС | Скорость машины | Скорость автомобиля | Скорость | Скор. авто",
        "走行速度 | 車速センサ | 車速 | 車両速度 | スピード",
        "行驶速度 | 汽车速度 | 车速 | 车辆速度 | 速度(车)",
    ),
    Role.SPARK: (
        "Ignition Timing Advance | Spark Timing | Ign Advance Angle | "
        "Spark Advance Angle | Ignition Angle | Total Timing | Spark Angle BTDC | "
        "Ign. Timing | Spark Adv. | Ignition Advance | Spark Advance | Timing Advance | "
        "Spark Angle | Advance (deg BTDC)",
        "ign_adv | SparkAdv | timing | zw | IgnAng | adv_deg | spk_adv | IgnTiming | "
        "SparkAng | ign_deg | aIgn | SPKADV | adv | ign_ang",
        "Zündung Vorverstellung | Zündwinkel Ist | Zündwinkel | Zündzeitpunkt | "
        "Zündw. | Zündzeitp. | Vorzündung",
        "Angle d'avance | Avance d'allumage | Avance allumage | Point d'allumage | "
        "Avance all. | Avance | Avance à l'allumage",
        "Avance de chispa | Ángulo de avance | Avance encendido | Ángulo de encendido | "
        "Avance enc. | Avance | Avance de encendido",
        "Anticipo di scintilla | Angolo anticipo | Anticipo accensione | Anticipo | "
        "Anticipo acc. | Angolo di anticipo",
        "Avanço da ignição | Ângulo de avanço | Avanço ignição | Ponto de ignição | "
        "Avanço ign. | Avanço | Avanço de ignição | Ângulo de ignição",
        "Kąt wyprzedzenia | Wyprzedzenie | Kąt zapłonu | Wyprzedzenie zapłonu | "
        "Kąt wyprz. zapł. | Wyprzedzenie zapł.",
        "УОЗ текущий | Опережение | Угол опережения зажигания | "
        "УОЗ | Угол опережения | Угол зажигания",
        "進角値 | 点火進角値 | 点火時期 | 点火角 | 点火進角 | 点火角度",
        "点火提前 | 点火时刻 | 点火提前角 | 点火角 | 点火角度",
    ),
    Role.FUEL_DP: (
        "Fuel Rail Delta Pressure | Fuel Pressure Across Injector | "
        "Fuel Differential Pressure | Injector Differential Pressure | "
        "Delta Fuel Pressure | Fuel Press. Differential | Pressure Across Injectors | "
        "Fuel Diff. Pressure | Fuel Press. Delta | Fuel Pressure (Diff.) | "
        "Differential Fuel Press. | Fuel Rail Differential | "
        "Fuel Pressure over Manifold | Fuel Rail - Manifold",
        "FuelDP | dp_fuel | fuel_delta_p | dpFuel | dP_inj | FPdiff | delta_p_rail | "
        "FuelDiffP | dPfuel | FP_delta | fuelDP | pFuDiff | FUELDP | fp_diff",
        "Differenzdruck Rail | Kraftstoffdruckdifferenz | Differenzdruck Kraftstoff | "
        "Kraftstoff-Differenzdruck | Delta p Rail | Kraftstoffdifferenzdruck | "
        "Diff.-Druck Kraftst. | Kraftstoffdr. Differenz | Differenzdr. Kraftstoff",
        "Différence de pression carburant | Delta pression carburant | "
        "Pression différentielle carburant | Delta P rampe | Press. diff. carburant | "
        "Pression carb. diff. | Delta pression essence",
        "Diferencia presión combustible | Presión combustible diferencial | "
        "Presión diferencial combustible | Delta presión riel | "
        "Pres. dif. combustible | Presión dif. de combustible | "
        "Delta presión combustible",
        "Delta pressione carburante | Pressione carburante differenziale | "
        "Pressione differenziale carburante | Delta P rail | Press. diff. carburante | "
        "Pressione diff. carb. | Delta pressione benzina",
        "Diferença de pressão combustível | Delta pressão combustível | "
        "Pressão diferencial combustível | Delta P rail | Pres. dif. combustível | "
        "Pressão dif. comb.",
        "Delta ciśnienia paliwa | Różnica ciśnień paliwa | "
        "Ciśnienie różnicowe paliwa | Delta P listwy | Ciśn. różn. paliwa | "
        "Różnica ciśn. paliwa",
        "Разность давлений топлива | Дельта давления топлива | "
        "Дифференциальное давление топлива | "
        "Перепад давления топлива | Перепад давл. топлива | "
        "Разн. давления топлива",
        "燃料デルタ圧 | 燃圧差 | 燃料差圧 | 燃圧差圧 | 燃料差圧値",
        "燃油压力差值 | 油轨压差 | 燃油压差 | 喷油器压差 | 燃油压力差 | 油压差",
    ),
    Role.MAF_HZ: (
        "MAF Sensor Freq | Airflow Sensor Frequency | Mass Airflow Hz | "
        "Air Meter Frequency | MAF Frequency | Mass Air Sensor Freq. | "
        "Airflow Meter Hz | MAF Freq. | Air Mass Freq. | MAF (Hz) | "
        "MAF Sensor Frequency | Air Meter Hertz | MAF Frequency Output | "
        "Air Mass Sensor (Hz)",
        "mafHz | MAF_f | maf_frequency | MAFfreq | f_maf | MAF_Hz | afm_hz | maf_hz | "
        "MAF_freq | mafFreq | fMaf | MAFHZ | maf_f | afmHz",
        "LMM-Frequenz | Luftmasse Frequenz | Luftmassenmesser Frequenz | LMM Frequenz | "
        "HFM-Frequenz | LMM Freq. | MAF-Frequenz | MAF Frequenz | "
        "Frequenz Luftmassenmesser",
        "Fréquence MAF | Fréquence capteur débit air | Fréquence débitmètre | "
        "Fréq. débitmètre | Fréq. MAF | Fréquence capteur d'air",
        "Frecuencia sensor MAF | Frecuencia masa de aire | Frecuencia caudalímetro | "
        "Frecuencia MAF | Frec. MAF",
        "Frequenza MAF | Frequenza sensore aria | Frequenza debimetro | Freq. MAF | "
        "Frequenza sensore MAF",
        "Frequência sensor MAF | Frequência massa de ar | Frequência do MAF | "
        "Frequência debitómetro | Freq. MAF | Frequência MAF | "
        "Frequência do medidor de ar",
        "Częstotliwość czujnika MAF | Częstotliwość masy powietrza | "
        "Częstotliwość przepływomierza | Częst. MAF | Częstotliwość MAF | "
        "Częstotliwość sygnału MAF",
        "Частота MAF | Частота датчика МРВ | Частота ДМРВ | "
        "Частота расходомера | Частота датчика расхода | "
        "Частота сигнала ДМРВ",
        "エアマス周波数 | MAF周波数 | エアフロ周波数 | エアフロメータ周波数 | MAFセンサ周波数",
        "空气流量频率 | 质量流量计频率 | 空气流量计频率 | MAF频率 | MAF传感器频率",
    ),
}
"""By channel, eleven texts each; alternatives with a bar between (general vocabulary, no source)."""
